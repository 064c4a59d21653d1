import { parseTree, type Node as JsonNode, type ParseError } from 'jsonc-parser';
import { Parser } from 'htmlparser2';
import type { BodyKind } from '../take/messages.js';
import type { Encoding, Piece, Template } from './script.schema.js';
import { compact, decode, encode, recordedOf } from './template.js';

/** A text with its inner values: each kid is a span of `text` that holds a value, wrapped or not. */
export interface ValueTree {
  text: string;
  kids: { start: number; end: number; encoding: Encoding | null; place: string; name: string; tree: ValueTree }[];
}

/** A leaf of a request: where it stands, what it is called there, and its value with all wrappings taken off. */
export interface SentValue {
  place: string;
  name: string;
  value: string;
}

const leaf = (text: string): ValueTree => ({ text, kids: [] });

/** Adds a kid for the span; its own inner values are found too. */
function addKid(tree: ValueTree, start: number, end: number, encodings: (Encoding | null)[], place: string, name: string): void {
  const raw = tree.text.slice(start, end);
  if (raw === '') return;
  for (const encoding of encodings) {
    const text = encoding ? decode(encoding, raw) : raw;
    // A wrapping that does not give the recorded text back would change the request; try the next.
    if (text === undefined || (encoding && encode(encoding, text) !== raw)) continue;
    tree.kids.push({ start, end, encoding, place, name, tree: innerTree(text, place) });
    return;
  }
}

/** Values inside a value: a JSON document, or a URL with a query. */
function innerTree(text: string, place: string): ValueTree {
  if (/^\s*[{[]/.test(text)) return jsonTree(text, `${place}/json:`) ?? leaf(text);
  if (/^(https?:\/)?\/[^\s?]*\?[^\s=]+=/.test(text)) return targetTree(text, `${place}/url:`);
  return leaf(text);
}

/** Path segments, path parameters and query parameters of a target. */
export function targetTree(text: string, prefix = ''): ValueTree {
  const tree = leaf(text);
  const origin = /^[a-z][a-z0-9+.-]*:\/\/[^/?#]*/i.exec(text)?.[0].length ?? 0;
  const hash = text.indexOf('#');
  const end = hash < 0 ? text.length : hash;
  const question = text.indexOf('?', origin);
  const pathEnd = question < 0 || question > end ? end : question;
  let from = origin;
  let index = 0;
  let before = '';
  for (const segment of text.slice(origin, pathEnd).split('/')) {
    const cut = segment.indexOf(';');
    const own = cut < 0 ? segment : segment.slice(0, cut);
    addKid(tree, from, from + own.length, ['percent'], `${prefix}path:${index}`, before);
    if (cut >= 0) {
      const equals = segment.indexOf('=', cut);
      if (equals >= 0)
        addKid(
          tree,
          from + equals + 1,
          from + segment.length,
          ['percent'],
          `${prefix}parameter:${segment.slice(cut + 1, equals)}`,
          segment.slice(cut + 1, equals),
        );
    }
    if (own !== '') before = own;
    from += segment.length + 1;
    index++;
  }
  if (pathEnd < end) addPairs(tree, pathEnd + 1, end, `${prefix}query:`);
  return tree;
}

function addPairs(tree: ValueTree, start: number, end: number, prefix: string): void {
  const seen = new Map<string, number>();
  let from = start;
  for (const pair of tree.text.slice(start, end).split('&')) {
    const equals = pair.indexOf('=');
    if (equals >= 0) {
      const name = decode('form', pair.slice(0, equals)) ?? pair.slice(0, equals);
      const nth = seen.get(name) ?? 0;
      seen.set(name, nth + 1);
      addKid(tree, from + equals + 1, from + pair.length, ['form', 'percent', null], `${prefix}${name}${nth > 0 ? `[${nth}]` : ''}`, name);
    }
    from += pair.length + 1;
  }
}

function jsonTree(text: string, prefix: string): ValueTree | undefined {
  const errors: ParseError[] = [];
  const root = parseTree(text, errors);
  if (!root || errors.length > 0 || (root.type !== 'object' && root.type !== 'array')) return undefined;
  const tree = leaf(text);
  const walk = (node: JsonNode, pointer: string, name: string) => {
    if (node.type === 'object')
      for (const property of node.children ?? []) {
        const [key, value] = property.children ?? [];
        // JSON pointer escapes of RFC 6901, section 3.
        if (key && value) walk(value, `${pointer}/${String(key.value).replace(/~/g, '~0').replace(/\//g, '~1')}`, String(key.value));
      }
    else if (node.type === 'array')
      (node.children ?? []).forEach((child, index) => {
        walk(child, `${pointer}/${index}`, name);
      });
    else if (node.type === 'string')
      addKid(tree, node.offset + 1, node.offset + node.length - 1, ['json', null], `${prefix}${pointer}`, name);
    else if (node.type === 'number') addKid(tree, node.offset, node.offset + node.length, [null], `${prefix}${pointer}`, name);
  };
  walk(root, '', '');
  return tree;
}

function xmlTree(text: string, prefix: string): ValueTree {
  const tree = leaf(text);
  const path: string[] = [];
  const counts = new Map<string, number>();
  const parser = new Parser(
    {
      onopentag: (name) => path.push(name),
      onclosetag: () => path.pop(),
      ontext: () => {
        if (text.slice(parser.startIndex, parser.endIndex + 1).trim() === '') return;
        const where = `/${path.join('/')}`;
        const nth = counts.get(where) ?? 0;
        counts.set(where, nth + 1);
        addKid(
          tree,
          parser.startIndex,
          parser.endIndex + 1,
          ['xml', null],
          `${prefix}${where}${nth > 0 ? `[${nth}]` : ''}`,
          path.at(-1) ?? '',
        );
      },
    },
    { xmlMode: true, decodeEntities: false },
  );
  parser.end(text);
  return tree;
}

/** Finds the values in a request body by its kind. */
export function bodyTree(text: string, kind: BodyKind): ValueTree {
  if (kind === 'form') {
    const tree = leaf(text);
    addPairs(tree, 0, text.length, 'form:');
    return tree;
  }
  if (kind === 'json') return jsonTree(text, 'json:') ?? leaf(text);
  if (kind === 'xml') return xmlTree(text, 'xml:');
  return leaf(text);
}

/** Finds the value in a header: the credential after a scheme, the parts of a URL, or the whole. */
export function headerTree(name: string, text: string): ValueTree {
  const tree = leaf(text);
  const lower = name.toLowerCase();
  const place = `header:${lower}`;
  if (lower === 'referer') return { ...targetTree(text, `${place}/url:`) };
  const scheme = lower === 'authorization' ? /^[A-Za-z]+ /.exec(text)?.[0].length : 0;
  addKid(tree, scheme ?? 0, text.length, [null], place, name);
  return tree;
}

/** All leaves of a tree with their values. */
export function* leavesOf(tree: ValueTree): Generator<SentValue> {
  for (const kid of tree.kids) {
    if (kid.tree.kids.length > 0) yield* leavesOf(kid.tree);
    else yield { place: kid.place, name: kid.name, value: kid.tree.text };
  }
}

/** The pieces that stand in `template` between two offsets of its recorded text. */
function piecesBetween(template: Template, start: number, end: number): Piece[] {
  const found: Piece[] = [];
  let at = 0;
  for (const piece of template) {
    const text = recordedOf(piece);
    const from = Math.max(start, at);
    const to = Math.min(end, at + text.length);
    if (from < to) found.push(piece.kind === 'text' ? { kind: 'text', text: text.slice(from - at, to - at) } : piece);
    at += text.length;
  }
  return found;
}

/** Builds a template anew from its value tree: moving pieces that are there stay, `bind` says what moves besides. */
export function bindTree(tree: ValueTree, template: Template, bind: (value: SentValue) => Template | undefined): Template {
  const pieces: Piece[] = [];
  let at = 0;
  for (const kid of tree.kids) {
    pieces.push(...piecesBetween(template, at, kid.start));
    at = kid.end;
    const raw = tree.text.slice(kid.start, kid.end);
    const present = piecesBetween(template, kid.start, kid.end);
    const first = present[0];
    const inner = first?.kind === 'wrap' && present.length === 1 && first.encoding === kid.encoding ? first.pieces : present;
    const innerText: Template = inner.every((piece) => piece.kind === 'text') ? [{ kind: 'text', text: kid.tree.text }] : inner;
    const bound =
      kid.tree.kids.length > 0
        ? bindTree(kid.tree, innerText, bind)
        : (bind({ place: kid.place, name: kid.name, value: kid.tree.text }) ?? innerText);
    if (bound.every((piece) => piece.kind === 'text')) pieces.push({ kind: 'text', text: raw });
    else if (kid.encoding) pieces.push({ kind: 'wrap', encoding: kid.encoding, pieces: bound, recorded: raw });
    else pieces.push(...bound);
  }
  pieces.push(...piecesBetween(template, at, tree.text.length));
  return compact(pieces);
}
