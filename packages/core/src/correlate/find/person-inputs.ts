import type { Exchange } from '../../take/take.schema.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import type { SentNode } from '../../actions/sent-values.js';
import type { AnswerText } from '../../answers/response-view.js';
import { readHtml, type HtmlPage } from '../../answers/html.js';
import { formOf, sentNames, type OfferedField, type OfferedForm } from './offered-forms.js';
import { answerBody, sentBody } from '../../take/exchanges.js';

/** What the page says of a value that a form sends. */
export type FormInput =
  /** The page gave it: a hidden field, a button, or a text that nobody changed. */
  | { kind: 'given'; page: number; extractor: Extractor }
  | { kind: 'typed'; field: OfferedField }
  /** A person chose it from what the form offers; `label` is what the person read. */
  | { kind: 'chosen'; field: OfferedField; label: string }
  /** The same choice has another value in the second take; these read it where it is offered, best first. */
  | { kind: 'moved-choice'; page: number; extractors: Extractor[] };

/** One take as far as its forms matter. */
export interface FormTake {
  exchanges: readonly Exchange[];
  readBody: (hash: string) => string | undefined;
  view: (n: number) => AnswerText | undefined;
  /** When an answer had ended, in ms since the start of the take. */
  endedMs: (n: number) => number;
}

/** The forms of a take: which page showed the form that a request sends. */
export class TakeForms {
  readonly #forms = new Map<number, OfferedForm | null>();
  readonly #pages: { n: number; endedMs: number }[];
  readonly #parsed = new Map<number, HtmlPage>();

  constructor(readonly take: FormTake) {
    this.#pages = take.exchanges
      .filter((exchange) => (answerBody(exchange)?.size ?? 0) > 0)
      .map((exchange) => ({ n: exchange.n, endedMs: take.endedMs(exchange.n) }));
  }

  of(exchange: Exchange): OfferedForm | null {
    const known = this.#forms.get(exchange.n);
    if (known !== undefined) return known;
    const body = sentBody(exchange);
    const names = sentNames(exchange, body ? this.take.readBody(body.hash) : undefined);
    const found = names.length === 0 ? null : formOf(exchange, names, this.#pagesBefore(exchange));
    this.#forms.set(exchange.n, found);
    return found;
  }

  /** Pages with fields that had come before a request, the latest first; only what fields need is read of them. */
  *#pagesBefore(exchange: Exchange): Generator<{ n: number; html: HtmlPage }> {
    let count = 0;
    for (let at = this.#pages.length - 1; at >= 0 && count < mostPages; at--) {
      const page = this.#pages[at];
      if (!page || page.endedMs > exchange.startedAtMs + 1) continue;
      const view = this.take.view(page.n);
      if (view?.kind !== 'html' || !mayHoldFields.test(view.body)) continue;
      count++;
      yield { n: page.n, html: this.#htmlOf(page.n, view) };
    }
  }

  #htmlOf(n: number, view: AnswerText): HtmlPage {
    const known = this.#parsed.get(n);
    if (known) return known;
    const html = readHtml(partWithFields(view.body));
    this.#parsed.set(n, html);
    for (const oldest of this.#parsed.keys()) {
      if (this.#parsed.size <= mostPages) break;
      this.#parsed.delete(oldest);
    }
    return html;
  }
}

/** So many pages before a request are looked at for its form. */
const mostPages = 12;
const formTag = /<\/?(?:form|input|select|textarea|button|option)\b/gi;

/** A page from its first field to its last: what a form says stands between them. */
function partWithFields(page: string): string {
  const start = page.search(/<(?:form|input|select|textarea|button)\b/i);
  if (start < 0) return '';
  let last = start;
  formTag.lastIndex = start;
  for (let found = formTag.exec(page); found; found = formTag.exec(page)) last = found.index;
  const end = page.indexOf('>', last);
  return page.slice(start, end < 0 ? page.length : end + 1);
}

const mayHoldFields = /<(?:input|select|textarea|button)\b/i;

/** The name under which a place sends a value in a form; undefined for places that no form fills. */
const fieldName = (place: string): string | undefined =>
  /^(?:form|part|query):([^#]*?)(?:\[\d+\])?$/.exec(place)?.[1] ?? /^json:\/(?:.*\/)?([^/#]+)$/.exec(place)?.[1];
const repetition = (place: string): number => Number(/\[(\d+)\]$/.exec(place)?.[1] ?? 0);

/** The second take at the same place: what it sent, and the form that it sent it from. */
export interface OtherInput {
  value: string;
  form: OfferedForm | null;
}

/** What the page that showed a form says of one value; null where no page showed it. */
export function formInput(
  node: Pick<SentNode, 'place' | 'name' | 'value'>,
  form: OfferedForm | null,
  input: OtherInput | null,
): FormInput | null {
  const name = fieldName(node.place);
  const field = name === undefined ? undefined : (form?.fields.get(name) ?? form?.fields.get(node.name));
  if (!form || !field) return null;
  const otherField = input?.form?.fields.get(field.name);
  const same = field.preset.filter((preset) => preset.value === node.value);
  const preset = same.find((candidate) => candidate === field.preset[repetition(node.place)]) ?? same[0];
  const isPreset = input === null || otherField === undefined || otherField.preset.some((preset) => preset.value === input.value);
  if (field.kind !== 'choice') {
    // Scripts of the page may fill a hidden field; then it is not the page that gave it.
    if (preset && isPreset && node.value !== '') return { kind: 'given', page: form.page, extractor: preset.extractor };
    return field.kind === 'text' ? { kind: 'typed', field } : null;
  }
  const index = field.options.findIndex((option) => option.value === node.value);
  if (index < 0) return null;
  const label = field.options[index]?.label ?? '';
  const chosen: FormInput = { kind: 'chosen', field, label };
  if (!input || !otherField || input.value === node.value) return chosen;
  const [here, there] = [field.options.map((option) => option.value), otherField.options.map((option) => option.value)];
  // Both pages offered both values: nothing moved, the persons chose otherwise.
  if (here.includes(input.value) && there.includes(node.value)) return chosen;
  if (!there.includes(input.value)) return null;
  return { kind: 'moved-choice', page: form.page, extractors: choiceExtractors(field, index, otherField, there.indexOf(input.value)) };
}

/** Ways to read a choice where the form offers it: by position or by label where both takes agree in it, else any of them. */
function choiceExtractors(field: OfferedField, index: number, otherField: OfferedField, otherIndex: number): Extractor[] {
  const found: Extractor[] = [];
  const option = field.options[index];
  const there = otherField.options[otherIndex];
  if (!option || !there) return found;
  if (index === otherIndex) found.push(option.extractor);
  if (option.label !== '' && option.label === there.label) found.push(besideLabel(option.extractor, option.label));
  if (option.extractor.kind === 'attribute') found.push({ ...option.extractor, pick: 'any' });
  return found;
}

const besideLabel = (extractor: Extractor, label: string): Extractor => ({
  ...extractor,
  beside: [{ kind: 'text', text: label }],
  ...(extractor.kind === 'attribute' ? { nth: 0, pick: 'first' } : {}),
});

const vowel = /[aeiouyäöüáéíóúàèìòùâêîôûåæø]/i;

/** A piece of a text as people write it: a word, a number, or a short code. */
const isWrittenByPeople = (piece: string): boolean =>
  piece === '' ||
  (/^\p{L}+$/u.test(piece) && piece.length <= 24 && (piece.length <= 3 || vowel.test(piece) || !/^[\x20-\x7e]+$/.test(piece))) ||
  /^\d{1,8}$/.test(piece) ||
  (/^[\p{L}\d]{1,4}$/u.test(piece) && piece.length <= 4);

/**
 * True for a text in a form that people write: words with blanks or joints between them, an address of mail, a name with a number. Tokens
 * that programs draw have pieces that nobody could say.
 */
export function readsAsTyped(value: string): boolean {
  if (value.length > 2000) return /\s/.test(value.slice(0, 200));
  const pieces = value.split(/[\s_.,:;'’"&/()@+!?#%*=–-]+/u);
  return pieces.some((piece) => /\p{L}{3}/u.test(piece)) && pieces.every(isWrittenByPeople);
}
