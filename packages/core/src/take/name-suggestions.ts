import { Parser } from 'htmlparser2';

const longest = 48;
const most = 8;

/**
 * Names for the transaction that comes next, from the page that the user looks at: what its buttons say, then its heading and
 * its title without the name of the application.
 */
export function suggestNames(html: string): string[] {
  const buttons: string[] = [];
  const titles: string[] = [];
  let into: string[] | null = null;
  let text = '';
  const parser = new Parser({
    onopentag(name, attributes) {
      if (name === 'button') into = buttons;
      else if (name === 'title' || name === 'h1') into = titles;
      else if (name === 'a' && /(^|[\s_-])(btn|button)/i.test(attributes['class'] ?? '')) into = buttons;
      else if (name === 'input' && attributes['type'] === 'submit' && attributes['value']) buttons.push(attributes['value']);
      else return;
      text = '';
    },
    ontext(part) {
      text += part;
    },
    onclosetag(name) {
      if (into && ['button', 'title', 'h1', 'a'].includes(name)) {
        into.push(text);
        into = null;
      }
    },
  });
  parser.end(html);
  const parts = titles.flatMap((title) => title.split(/\s+[|–—·-]\s+/).slice(0, 1));
  const clean = [...buttons, ...parts]
    .map((text) => text.replace(/\s+/g, ' ').trim())
    .filter((text) => text !== '' && text.length <= longest);
  return [...new Set(clean)].slice(0, most);
}
