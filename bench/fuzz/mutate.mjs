// Makes hostile inputs of good ones: seeded, so that each can be made again from its number.
import seedrandom from 'seedrandom';

/** What breaks readers (common practice, no source): signs that end, open or escape something, edges of numbers, halves of signs, names of prototypes. */
const morsels = [
  '\u0000', '\ud83d', '\udc00', '\ufeff', '\u2028', '\r\n', '\n', '\t', '"', "'", '\\', '`', '<', '>', '&', '</script>', '<!--', ']]>', '<![CDATA[',
  '{', '}', '[', ']', '(', ')', '~{', '${', '{{', '%', '%00', '%FF', '%u0041', ';', ',', '=', ':', '*', '+', '?', '|', '^', '$', '..', '$..*', '[?', '@', '//',
  '-0', '1e999', '-1', '0x10', '9007199254740993', '99999999999999999999999', '0.1e-400', 'NaN', 'Infinity', 'null', 'true', '__proto__',
  'constructor', 'toString', 'hasOwnProperty', 'é', '𐍈', 'ß', 'İ', '𝟙', '😀', 'a'.repeat(300), '(a+)+$', '(a{1000}){1000}', '<a>'.repeat(200), '[['.repeat(300),
  '{"a":'.repeat(200), '- '.repeat(200), '&a1', '*a1', '!!js', '!!binary', '<<: ', '=cmd()', 'data:text/html,x', 'javascript:1', 'http://[::1', '1970-01-01', '275760-09-13T00:00:00.001Z',
]; // prettier-ignore

/** One hostile input, made of good ones by up to eight changes. */
export function mutated(seeds, key) {
  const random = seedrandom(key);
  const below = (most) => Math.floor(random() * most);
  const pick = (list) => list[below(list.length)];
  let text = pick(seeds);
  for (let changes = 1 + below(8); changes > 0; changes--) {
    const at = below(text.length + 1);
    const to = Math.min(text.length, at + below(random() < 0.2 ? text.length + 1 : 12));
    switch (below(8)) {
      case 0:
        text = text.slice(0, at) + pick(morsels) + text.slice(at);
        break;
      case 1:
        text = text.slice(0, at) + text.slice(to);
        break;
      case 2:
        text = text.slice(0, at) + pick(morsels) + text.slice(to);
        break;
      case 3:
        text = text.slice(0, to) + text.slice(at, to).repeat(1 + below(20)) + text.slice(to);
        break;
      case 4: {
        const other = pick(seeds);
        text = text.slice(0, at) + other.slice(below(other.length + 1));
        break;
      }
      case 5:
        text = text.slice(0, at) + String.fromCharCode(below(random() < 0.7 ? 256 : 65_536)) + text.slice(at + 1);
        break;
      case 6: {
        const numbers = [...text.matchAll(/\d+/g)];
        const number = numbers.length > 0 ? pick(numbers) : null;
        if (number)
          text =
            text.slice(0, number.index) + pick(['0', '-1', '1e308', '4294967296', '1.5', '']) + text.slice(number.index + number[0].length);
        break;
      }
      case 7:
        text = text.slice(at) + text.slice(0, at);
        break;
    }
    if (text.length > 100_000) text = text.slice(0, 100_000);
  }
  return text;
}
