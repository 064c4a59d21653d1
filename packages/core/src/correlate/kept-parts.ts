/** Pages shorter than this are read whole. */
const shortestPage = 16_000;
const chunkLength = 4096;

/** What must be kept wherever it stands, because later parts of the page are understood by it. */
const telling = /<(?:input|button|textarea|select|option|form|meta|title|script|style|!--)|<\/(?:select|form|title)/i;

/** Elements whose content is no markup, with what ends them; they are never cut. */
const whole: [RegExp, string][] = [
  [/<script/gi, '</script'],
  [/<style/gi, '</style'],
  [/<textarea/gi, '</textarea'],
  [/<!--/g, '-->'],
];

/**
 * A long page without the parts that hold nothing of interest, cut between tags, so that only what is left has to be parsed: of a
 * list of ten thousand rows mostly one or two. Reading what is left finds the same fields, attributes and texts of interest; positions
 * among all elements of the page are not to be taken from it.
 */
export function keptParts(page: string, mayHold: (text: string) => boolean): string {
  if (page.length < shortestPage) return page;
  const kept: string[] = [];
  for (let at = 0; at < page.length;) {
    const end = endOfChunk(page, at);
    const chunk = page.slice(at, end);
    if (telling.test(chunk) || mayHold(chunk)) kept.push(chunk);
    at = end;
  }
  return kept.join('');
}

/** Where a chunk that begins at `from` ends: between two tags, and not within what is no markup. */
function endOfChunk(page: string, from: number): number {
  const aim = from + chunkLength;
  if (aim >= page.length) return page.length;
  let end = page.indexOf('><', aim) + 1;
  const line = page.indexOf('\n<', aim) + 1;
  if (end === 0 || (line !== 0 && line < end)) end = line;
  if (end === 0) return page.length;
  for (const [begins, ends] of whole) {
    const chunk = page.slice(from, end);
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
