/** Pages shorter than this are read whole. */
const shortestPage = 16_000;
const chunkLength = 1024;

/** What must be kept wherever it stands, because later parts of the page are understood by it. */
const telling = /<(?:input|button|textarea|select|option|form|meta|title|script|style|!--)|<\/(?:select|form|title)/gi;

/** Elements whose content is no markup, with what ends them; they are never cut. */
const whole: [RegExp, string][] = [
  [/<script/gi, '</script'],
  [/<style/gi, '</style'],
  [/<textarea/gi, '</textarea'],
  [/<!--/g, '-->'],
];
const beginsWhole = /<(?:script|style|textarea|!--)/gi;

/** Finds something in a page again and again from growing places on; what was found further on is remembered, so the page is read once. */
class NextPlace {
  #found = -1;

  constructor(readonly find: (from: number) => number) {}

  /** The first place from `from` on; the end of the page where there is none. */
  from(from: number): number {
    if (this.#found < from) this.#found = this.find(from);
    return this.#found;
  }
}

const placesOf = (page: string, pattern: RegExp): NextPlace =>
  new NextPlace((from) => {
    pattern.lastIndex = from;
    return pattern.exec(page)?.index ?? page.length;
  });
const placesOfText = (page: string, text: string): NextPlace =>
  new NextPlace((from) => {
    const at = page.indexOf(text, from);
    return at < 0 ? page.length : at;
  });

/**
 * A long page without the parts that hold nothing of interest, cut between tags, so that only what is left has to be parsed: of a
 * list of ten thousand rows mostly one or two. Reading what is left finds the same fields, attributes and texts of interest; positions
 * among all elements of the page are not to be taken from it.
 */
export function keptParts(page: string, mayHold: (page: string, from: number, to: number) => boolean): string {
  if (page.length < shortestPage) return page;
  const kept: string[] = [];
  const next: Next = {
    telling: placesOf(page, telling),
    whole: placesOf(page, beginsWhole),
    cut: placesOfText(page, '><'),
    line: placesOfText(page, '\n<'),
  };
  for (let at = 0; at < page.length;) {
    const end = endOfChunk(page, at, next);
    if (next.telling.from(at) < end || mayHold(page, at, end)) kept.push(page.slice(at, end));
    at = end;
  }
  return kept.join('');
}

type Next = Record<'telling' | 'whole' | 'cut' | 'line', NextPlace>;

/** Where a chunk that begins at `from` ends: between two tags, and not within what is no markup. */
function endOfChunk(page: string, from: number, next: Next): number {
  const aim = from + chunkLength;
  if (aim >= page.length) return page.length;
  const end = Math.min(next.cut.from(aim), next.line.from(aim)) + 1;
  if (end > page.length) return page.length;
  if (next.whole.from(from) >= end) return end;
  const chunk = page.slice(from, end);
  for (const [begins, ends] of whole) {
    let last = -1;
    for (const match of chunk.matchAll(begins)) last = match.index;
    if (last < 0 || chunk.toLowerCase().includes(ends, last)) continue;
    const closed = indexOfAnyCase(page, ends, end);
    return closed < 0 ? page.length : endOfTag(page, closed);
  }
  return end;
}

const endOfTag = (page: string, at: number): number => {
  const end = page.indexOf('>', at);
  return end < 0 ? page.length : end + 1;
};

/** Close tags are written in small letters nearly always; only where they are not is the costly way taken. */
function indexOfAnyCase(page: string, text: string, from: number): number {
  const at = page.indexOf(text, from);
  return at >= 0 || text === '-->' ? at : page.toLowerCase().indexOf(text, from);
}
