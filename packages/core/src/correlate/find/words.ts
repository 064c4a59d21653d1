// Runs as tokens are written; names with dashes; letters and digits; digits alone.
const grains = [/[\w.~+/=%@-]{2,}/g, /[A-Za-z0-9_-]{2,}/g, /[A-Za-z0-9]+/g, /\d+/g];
const mostWords = 200;

/** A word of a text with the place where it stands. */
export interface Word {
  text: string;
  start: number;
}

/** The words of a text at every grain, from runs as tokens are written down to digits alone; the text itself is none of them. */
export function* spansOf(text: string): Generator<Word> {
  let count = 0;
  const seen = new Set<string>();
  for (const grain of grains)
    for (const match of text.matchAll(grain)) {
      const key = `${match.index} ${match[0].length}`;
      if (match[0] === text || seen.has(key)) continue;
      seen.add(key);
      yield { text: match[0], start: match.index };
      if (++count >= mostWords) return;
    }
}

export const wordsOf = (text: string): string[] => [...spansOf(text)].map((word) => word.text);
