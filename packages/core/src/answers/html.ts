import { Parser } from 'htmlparser2';

/** An element's start tag in reading order. */
export interface HtmlElement {
  name: string;
  attributes: Record<string, string>;
  /** Position among the elements of the same name, from 0. */
  nth: number;
  /** The innermost row it stands in (a table row, list item or the like), as an index of `rows`; -1 for none. */
  row: number;
  /** The form that it belongs to, as an index of `elements`; -1 for none. */
  form: number;
  /** Where it stands in the text: its start tag, and what gave its value where that stands further on. */
  start: number;
  end: number;
}

/** What reading a page once gives: the elements, its title, texts and inline scripts. */
export interface HtmlPage {
  elements: HtmlElement[];
  title: string;
  texts: string[];
  scripts: string[];
  comments: string[];
  /** The texts of each row. */
  rows: string[];
  /** Texts of elements that announce a fault: role=alert, or a class that says error, fault or alert. */
  alerts: string[];
  /** For each of these the index of the element that begins it. */
  alertsAt: number[];
}

const isRow = (name: string, attributes: Record<string, string>): boolean =>
  /^(tr|li|article|option|dd|fieldset|form)$/.test(name) || /^(row|listitem|option)$/.test(attributes['role'] ?? '');

/** Buttons and links that do harm are dressed like warnings, and announce nothing. */
const isControl = /^(button|a|input|select|option|label|summary)$/;

const announces = (name: string, attributes: Record<string, string>): boolean =>
  attributes['role'] === 'alert' ||
  (!isControl.test(name) && /(^|[\s_-])(error(s|list|note|message)?|fault|alert|danger)([\s_-]|$)/i.test(attributes['class'] ?? ''));

/** So much of a page is read at a time while its title is looked for, in characters. */
const titlePiece = 4096;

/** The title of a page: its first title element (HTML standard, 3.1.5), as `readHtml` gives it. Nothing behind it is read. */
export function readTitle(text: string): string {
  if (!/<title/i.test(text)) return '';
  let title = '';
  let state: 'before' | 'in' | 'done' = 'before';
  const parser = new Parser({
    onopentagname(name) {
      if (name === 'title' && state === 'before') state = 'in';
    },
    ontext(part) {
      if (state === 'in') title += part;
    },
    onclosetag(name) {
      if (name === 'title' && state === 'in') state = 'done';
    },
  });
  const isDone = (): boolean => state === 'done';
  for (let at = 0; at < text.length && !isDone(); at += titlePiece) parser.write(text.slice(at, at + titlePiece));
  // What is still open at the end of the text is closed there.
  if (!isDone()) parser.end();
  return title.trim();
}

/** Reads a page leniently, as browsers do; never throws. */
export function readHtml(text: string): HtmlPage {
  const page: HtmlPage = { elements: [], title: '', texts: [], scripts: [], comments: [], rows: [], alerts: [], alertsAt: [] };
  const counts = new Map<string, number>();
  const open: { name: string; alert: boolean; row: number; form: number }[] = [];
  let titles = 0;
  let alerts = 0;
  let textEnd = -2;
  let select: HtmlElement | undefined;
  const parser = new Parser({
    onopentag(name, attributes) {
      const nth = counts.get(name) ?? 0;
      counts.set(name, nth + 1);
      // What a browser would send of a choice is the value of its chosen option.
      if (name === 'option' && 'selected' in attributes && select && select.attributes['value'] === undefined) {
        select.attributes['value'] = attributes['value'] ?? '';
        [select.start, select.end] = [parser.startIndex, parser.endIndex + 1];
      }
      const row = isRow(name, attributes) ? page.rows.push('') - 1 : (open.at(-1)?.row ?? -1);
      const form = name === 'form' ? page.elements.length : (open.at(-1)?.form ?? -1);
      page.elements.push({ name, attributes, nth, row, form, start: parser.startIndex, end: parser.endIndex + 1 });
      if (name === 'title') titles++;
      if (name === 'select') select = page.elements.at(-1);
      const alert = announces(name, attributes);
      if (alert && alerts++ === 0) {
        page.alerts.push('');
        page.alertsAt.push(page.elements.length - 1);
      }
      open.push({ name, alert, row, form });
    },
    onclosetag() {
      if (open.pop()?.alert) alerts--;
    },
    oncomment(text) {
      page.comments.push(text);
    },
    ontext(part) {
      const inside = open.at(-1)?.name;
      const row = open.at(-1)?.row ?? -1;
      if (row >= 0 && inside !== 'script' && inside !== 'style') page.rows[row] = `${page.rows[row] ?? ''}${part}`;
      if (inside === 'title') {
        if (titles === 1) page.title += part;
      } else if (inside === 'script') page.scripts.push(part);
      else if (inside === 'textarea') {
        const area = page.elements.at(-1);
        if (area?.name === 'textarea') {
          area.attributes['value'] = (area.attributes['value'] ?? '') + part;
          area.end = parser.endIndex + 1;
        }
      } else if (inside !== 'style' && (part.trim() !== '' || parser.startIndex === textEnd + 1)) {
        // Entities split a text into parts; the parts of one text belong together.
        if (parser.startIndex === textEnd + 1 && page.texts.length > 0) page.texts.push((page.texts.pop() ?? '') + part);
        else page.texts.push(part);
        textEnd = parser.endIndex;
        if (part.trim() === '') return;
        if (alerts > 0) page.alerts[page.alerts.length - 1] = `${page.alerts.at(-1) ?? ''} ${part.trim()}`.trim();
      }
    },
  });
  parser.end(text);
  page.title = page.title.trim();
  page.texts = page.texts.map((text) => text.trim());
  page.alertsAt = page.alertsAt.filter((_, at) => page.alerts[at] !== '');
  page.alerts = page.alerts.filter(Boolean);
  return page;
}

/** Name of the root element of an XML text, without its prefix; undefined where there is none. */
export function rootElement(text: string): string | undefined {
  const name = /<(?![?!])([^\s/>]+)/.exec(text)?.[1];
  return name?.split(':').at(-1);
}
