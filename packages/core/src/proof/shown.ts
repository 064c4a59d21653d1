import { encode } from '../values/encoding.js';
import { headersIn, type AnswerText } from '../answers/response-view.js';

const escapes = /[.*+?^${}()|[\]\\]/g;
const isWordSign = /[\p{L}\d]/u;

/** True where a text holds a value that is not a piece of a longer word. */
function holdsWord(text: string, value: string): boolean {
  for (let at = text.indexOf(value); at >= 0; at = text.indexOf(value, at + 1)) {
    const before = text[at - 1] ?? ' ';
    const after = text[at + value.length] ?? ' ';
    if (!(isWordSign.test(value[0] ?? '') && isWordSign.test(before)) && !(isWordSign.test(value.at(-1) ?? '') && isWordSign.test(after)))
      return true;
  }
  return false;
}

const spellingsOf = (value: string): Set<string> =>
  new Set([value, encode('xml', value), encode('json', value), encode('component', value), encode('form', value)]);

/**
 * True where an answer shows a text, in a header too, whatever it is wrapped in there. Where it stands only as a part of one of the `longer`
 * texts, it is those that are shown.
 */
export function shows(view: AnswerText, value: string, longer: readonly string[] = []): boolean {
  if (value === '') return false;
  const hidden = longer.flatMap((longerText) => [...spellingsOf(longerText)]);
  const holds = (text: string, spelling: string): boolean =>
    holdsWord(text, spelling) &&
    (hidden.length === 0 ||
      holdsWord(
        hidden.reduce((left, spelling) => left.replaceAll(spelling, '\u0000'), text),
        spelling,
      ));
  if (headersIn(view).some(([name, text]) => /^(location|etag|content-location)$/i.test(name) && holds(text, value))) return true;
  if (view.kind === 'binary' || view.kind === 'script') return false;
  for (const spelling of spellingsOf(value)) if (holds(view.body, spelling)) return true;
  return view.kind === 'html' && view.html.texts.some((text) => holds(text, value));
}

/** How often an answer shows a text. */
export function timesShown(view: AnswerText, value: string): number {
  if (value === '' || view.kind === 'binary' || view.kind === 'script') return 0;
  let count = 0;
  for (let at = view.body.indexOf(value); at >= 0; at = view.body.indexOf(value, at + value.length)) count++;
  return count;
}

/** True where an answer shows a value under a name: a field of a page that holds it, or a member of JSON. */
export function showsAs(view: AnswerText, name: string, value: string): boolean {
  if (name === '') return false;
  if (view.kind === 'html')
    return view.html.elements.some(
      (element) =>
        element.attributes['name'] === name &&
        (element.attributes['value'] ?? '') === value &&
        (!/^(radio|checkbox)$/i.test(element.attributes['type'] ?? '') || 'checked' in element.attributes),
    );
  if (view.kind === 'json')
    return new RegExp(
      `"${encode('json', name).replace(escapes, '\\$&')}"\\s*:\\s*"?${encode('json', value).replace(escapes, '\\$&')}"?\\s*[,}\\]]`,
    ).test(view.body);
  return false;
}
