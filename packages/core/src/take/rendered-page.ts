import { Parser } from 'htmlparser2';

/** Elements that run, load other documents or send something; a picture of a page does without. */
const droppedWithContent = new Set(['script', 'object', 'embed', 'iframe', 'frame', 'applet', 'template']);
const dropped = new Set(['base', 'noscript']);
const empty = new Set('area base br col embed hr img input link meta param source track wbr'.split(' '));
const addresses = new Set(['src', 'href', 'background', 'poster']);

const escaped = (text: string): string => text.replace(/&/g, '&amp;').replace(/"/g, '&quot;').replace(/</g, '&lt;');

/**
 * A recorded page as it may be shown: without scripts, frames and handlers, and with its style sheets and images led to
 * `fileAddress`, which gives the take's own copy.
 */
export function renderablePage(html: string, pageUrl: string, fileAddress: (url: string) => string): string {
  let out = '<!doctype html>';
  let inside = 0;
  const parser = new Parser(
    {
      onopentag(name, attributes) {
        if (droppedWithContent.has(name)) inside++;
        if (inside > 0 || dropped.has(name)) return;
        if (name === 'meta' && /refresh|content-security-policy/i.test(attributes['http-equiv'] ?? '')) return;
        if (name === 'link' && !/stylesheet|icon/i.test(attributes['rel'] ?? '')) return;
        const kept = Object.entries(attributes).flatMap(([key, value]) => {
          if (/^on|^(srcset|integrity|nonce|action|formaction|ping|target)$/i.test(key)) return [];
          if (!addresses.has(key)) return [`${key}="${escaped(value)}"`];
          if (name === 'a' || name === 'area') return [];
          return URL.canParse(value, pageUrl) ? [`${key}="${escaped(fileAddress(new URL(value, pageUrl).href))}"`] : [];
        });
        out += `<${[name, ...kept].join(' ')}>`;
      },
      ontext(text) {
        if (inside === 0) out += text.replace(/&/g, '&amp;').replace(/</g, '&lt;');
      },
      onclosetag(name) {
        if (droppedWithContent.has(name)) inside = Math.max(0, inside - 1);
        else if (inside === 0 && !dropped.has(name) && !empty.has(name)) out += `</${name}>`;
      },
    },
    { decodeEntities: true },
  );
  parser.end(html);
  return out;
}
