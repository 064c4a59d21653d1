import { Parser } from 'htmlparser2';

/** An element's start tag in reading order. */
export interface HtmlElement {
  name: string;
  attributes: Record<string, string>;
  /** Position among the elements of the same name, from 0. */
  nth: number;
}

/** What reading a page once gives: the elements, its title, texts and inline scripts. */
export interface HtmlPage {
  elements: HtmlElement[];
  title: string;
  texts: string[];
  scripts: string[];
  /** Texts of elements that announce a fault: role=alert, or a class that says error, fault or alert. */
  alerts: string[];
}

const announces = (attributes: Record<string, string>): boolean =>
  attributes['role'] === 'alert' || /(^|[\s_-])(error|fault|alert|danger)([\s_-]|$)/i.test(attributes['class'] ?? '');

/** Reads a page leniently, as browsers do; never throws. */
export function readHtml(text: string): HtmlPage {
  const page: HtmlPage = { elements: [], title: '', texts: [], scripts: [], alerts: [] };
  const counts = new Map<string, number>();
  const open: { name: string; alert: boolean }[] = [];
  let alerts = 0;
  const parser = new Parser({
    onopentag(name, attributes) {
      const nth = counts.get(name) ?? 0;
      counts.set(name, nth + 1);
      page.elements.push({ name, attributes, nth });
      const alert = announces(attributes);
      if (alert && alerts++ === 0) page.alerts.push('');
      open.push({ name, alert });
    },
    onclosetag() {
      if (open.pop()?.alert) alerts--;
    },
    ontext(part) {
      const inside = open.at(-1)?.name;
      if (inside === 'title') page.title += part;
      else if (inside === 'script') page.scripts.push(part);
      else if (inside !== 'style' && part.trim() !== '') {
        page.texts.push(part.trim());
        if (alerts > 0) page.alerts[page.alerts.length - 1] = `${page.alerts.at(-1) ?? ''} ${part.trim()}`.trim();
      }
    },
  });
  parser.end(text);
  page.title = page.title.trim();
  page.alerts = page.alerts.filter(Boolean);
  return page;
}

/** Name of the root element of an XML text, without its prefix; undefined where there is none. */
export function rootElement(text: string): string | undefined {
  const name = /<(?![?!])([^\s/>]+)/.exec(text)?.[1];
  return name?.split(':').at(-1);
}
