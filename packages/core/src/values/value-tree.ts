import { parseTree, type Node as JsonNode, type ParseError } from 'jsonc-parser';
import { Parser } from 'htmlparser2';
import type { BodyKind } from '../take/messages.js';
import { decode, encode } from './encoding.js';
import { multipartParts } from './multipart.js';
import type { Encoding } from './template.schema.js';

/** A span of a text that holds a value, wrapped or not. */
export interface ValueSpan {
  start: number;
  end: number;
  /** The wrapping that was taken off; null where the value stands there as it is. */
  encoding: Encoding | null;
  place: string;
  name: string;
  /** A field name, object key or the like that looks as if it held a value. */
  isName: boolean;
  tree: ValueTree;
}

/**
 * A text with the values in it. `peeled` says that the kids lie under a wrapping that nothing announced (base64, hex): the text
 * itself is as likely to be the value.
 */
export interface ValueTree {
  text: string;
  kids: ValueSpan[];
  peeled: boolean;
}

const leaf = (text: string): ValueTree => ({ text, kids: [], peeled: false });

/** Adds a kid for the span; its own inner values are found too. */
function addKid(
  tree: ValueTree,
  start: number,
  end: number,
  encodings: readonly (Encoding | null)[],
  place: string,
  name: string,
  isName = false,
): void {
  const raw = tree.text.slice(start, end);
  if (raw === '') return;
  for (const encoding of encodings) {
    const text = encoding ? decode(encoding, raw) : raw;
    // A wrapping that does not give the recorded text back would change the request; try the next.
    if (text === undefined || (encoding && encode(encoding, text) !== raw)) continue;
    tree.kids.push({ start, end, encoding, place, name, isName, tree: isName ? leaf(text) : innerTree(text, place, name) });
    return;
  }
}

const inQuery = ['form', 'percent', 'component', 'component-plus', 'form-lower', null] as const;

/** A name that may hold an id: digits, or a long run of signs as tokens have it. */
const mayHoldValue = (name: string): boolean => /\d/.test(name) || /[A-Za-z0-9_-]{20,}/.test(name);

/** Text that people could read, so that a chance decoding is not taken for one. */
// eslint-disable-next-line no-control-regex -- control signs are just what readable text has none of
const readable = (text: string): boolean => text.length >= 4 && !/[\u0000-\u0008\u000e-\u001f\u007f-\u009f\ufffd]/.test(text);

const deepest = 12;

/** Values inside a value: a JSON or XML document, an address with a query, a text in base64 or hex. */
function innerTree(text: string, place: string, name: string): ValueTree {
  if (place.split('/').length > deepest || text.length > 4_000_000) return leaf(text);
  if (place.startsWith('part:')) {
    const inPart = requestTree(text, place) ?? (text.startsWith('--') ? multipartTree(text, `${place}/part:`) : undefined);
    if (inPart) return inPart;
  }
  if (/^\s*[{[]/.test(text)) return jsonTree(text, `${place}/json:`) ?? leaf(text);
  if (/^\s*<[?!A-Za-z]/.test(text) && text.includes('</')) return xmlTree(text, `${place}/xml:`);
  if (/^([a-z][a-z0-9+.-]*:\/\/[^\s/?#]+)?\/[^\s?]*\?[^\s=]+=/i.test(text) || /^https?:\/\/[^\s/?#]+\/[^\s]+$/i.test(text))
    return targetTree(text, `${place}/url:`);
  return peel(text, place, name) ?? leaf(text);
}

/**
 * A request within a part of a multipart/mixed body (application/http: RFC 9112, 10.2): what its target and its body hold; undefined where the
 * text is none.
 */
function requestTree(text: string, place: string): ValueTree | undefined {
  const line = /^([A-Z]{3,10}) (\S+) HTTP\/\d\.\d\r?\n/.exec(text);
  if (!line) return undefined;
  const tree = leaf(text);
  const start = (line[1] ?? '').length + 1;
  const target = line[2] ?? '';
  const innerPlace = `${place}/target`;
  tree.kids.push({
    start,
    end: start + target.length,
    encoding: null,
    place: innerPlace,
    name: '',
    isName: false,
    tree: targetTree(target, `${innerPlace}/`),
  });
  const blank = /\r?\n\r?\n/.exec(text);
  if (blank) addKid(tree, blank.index + blank[0].length, text.trimEnd().length, [null], `${place}/body`, '');
  return tree;
}

/** The text under base64 or hex that nothing announces; the outer text stays as likely to be the value. */
function peel(text: string, place: string, name: string): ValueTree | undefined {
  // Percent-encoded once more, as what is put into an address that is itself put into one.
  const encodings: Encoding[] = /^[^\s%]*(%[0-9A-F]{2}[^\s%]*){2,}$/.test(text)
    ? ['component', 'percent', 'form']
    : /^[0-9a-f]{12,}$/.test(text)
      ? ['hex']
      : /^[A-Za-z0-9+/_-]{8,}={0,2}$/.test(text)
        ? ['base64', 'base64url']
        : [];
  for (const encoding of encodings) {
    const inner = decode(encoding, text);
    if (inner === undefined || !readable(inner) || encode(encoding, inner) !== text) continue;
    const tree: ValueTree = { text, kids: [], peeled: true };
    const innerPlace = `${place}/${encoding}`;
    tree.kids.push({
      start: 0,
      end: text.length,
      encoding,
      place: innerPlace,
      name,
      isName: false,
      tree: innerTree(inner, innerPlace, name),
    });
    return tree;
  }
  return undefined;
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
    const word = cut < 0 ? segment : segment.slice(0, cut);
    addKid(tree, from, from + word.length, ['percent', 'component', null], `${prefix}path:${index}`, before);
    if (cut >= 0) {
      const equals = segment.indexOf('=', cut);
      const parameter = segment.slice(cut + 1, equals);
      if (equals >= 0)
        addKid(
          tree,
          from + equals + 1,
          from + segment.length,
          ['percent', 'component', null],
          `${prefix}parameter:${parameter}`,
          parameter,
        );
    }
    if (word !== '') before = word;
    from += segment.length + 1;
    index++;
  }
  if (pathEnd < end) addPairs(tree, pathEnd + 1, end, `${prefix}query:`);
  return tree;
}

/** Counts how often a name came before, so that each place is named once. */
class Places {
  readonly #seen = new Map<string, number>();

  of(place: string): string {
    const nth = this.#seen.get(place) ?? 0;
    this.#seen.set(place, nth + 1);
    return nth > 0 ? `${place}[${nth}]` : place;
  }
}

function addPairs(tree: ValueTree, start: number, end: number, prefix: string): void {
  const places = new Places();
  let from = start;
  for (const pair of tree.text.slice(start, end).split('&')) {
    const equals = pair.indexOf('=');
    const rawName = equals < 0 ? pair : pair.slice(0, equals);
    const name = decode('form', rawName) ?? rawName;
    const place = places.of(prefix + name);
    if (mayHoldValue(name)) addKid(tree, from, from + rawName.length, inQuery, `${place}#name`, name, true);
    if (equals >= 0) addKid(tree, from + equals + 1, from + pair.length, inQuery, place, name);
    from += pair.length + 1;
  }
}

function jsonTree(text: string, prefix: string): ValueTree | undefined {
  const errors: ParseError[] = [];
  const root = parseTree(text, errors);
  if (!root || errors.length > 0 || (root.type !== 'object' && root.type !== 'array')) return undefined;
  const tree = leaf(text);
  const places = new Places();
  const walk = (node: JsonNode, pointer: string, name: string, depth: number) => {
    if (depth > 200) return;
    if (node.type === 'object')
      for (const property of node.children ?? []) {
        const [key, value] = property.children ?? [];
        if (!key || !value) continue;
        const keyName = String(key.value);
        // JSON pointer escapes of RFC 6901, section 3.
        const inner = `${pointer}/${keyName.replace(/~/g, '~0').replace(/\//g, '~1')}`;
        if (mayHoldValue(keyName))
          addKid(tree, key.offset + 1, key.offset + key.length - 1, ['json', null], `${places.of(prefix + inner)}#name`, name, true);
        walk(value, inner, keyName, depth + 1);
      }
    else if (node.type === 'array')
      (node.children ?? []).forEach((child, index) => {
        walk(child, `${pointer}/${index}`, name, depth + 1);
      });
    else if (node.type === 'string')
      addKid(tree, node.offset + 1, node.offset + node.length - 1, ['json', null], `${prefix}${pointer}`, name);
    else if (node.type === 'number') addKid(tree, node.offset, node.offset + node.length, [null], `${prefix}${pointer}`, name);
  };
  walk(root, '', '', 0);
  return tree;
}

function xmlTree(text: string, prefix: string): ValueTree {
  const tree = leaf(text);
  const path: string[] = [];
  const places = new Places();
  const parser = new Parser(
    {
      onopentag: (name, attributes) => {
        path.push(name);
        const tag = text.slice(parser.startIndex, parser.endIndex + 1);
        const where = `/${path.join('/')}`;
        for (const attribute of Object.keys(attributes)) {
          if (attribute.startsWith('xmlns') || attribute.startsWith('xsi:')) continue;
          const at = new RegExp(`\\s${attribute.replace(/[^\w:-]/g, '.')}\\s*=\\s*(["'])`).exec(tag);
          const from = at ? parser.startIndex + at.index + at[0].length : -1;
          const to = at ? text.indexOf(at[1] ?? '"', from) : -1;
          if (from >= 0 && to > from) addKid(tree, from, to, ['xml', null], places.of(`${prefix}${where}/@${attribute}`), attribute);
        }
      },
      onclosetag: () => path.pop(),
      ontext: () => {
        if (text.slice(parser.startIndex, parser.endIndex + 1).trim() === '') return;
        const place = places.of(`${prefix}/${path.join('/')}`);
        addKid(tree, parser.startIndex, parser.endIndex + 1, ['xml', null], place, path.at(-1) ?? '');
      },
    },
    { xmlMode: true, decodeEntities: false },
  );
  parser.end(text);
  return tree;
}

function multipartTree(text: string, prefix: string): ValueTree | undefined {
  const parts = multipartParts(text);
  if (!parts) return undefined;
  const tree = leaf(text);
  const places = new Places();
  for (const part of parts) {
    const place = places.of(`${prefix}${part.name}`);
    if (mayHoldValue(part.name) && part.nameAt) addKid(tree, part.nameAt.start, part.nameAt.end, [null], `${place}#name`, part.name, true);
    if (part.fileName === null) addKid(tree, part.start, part.end, [null], place, part.name);
  }
  return tree;
}

/** Finds the values in a request body by its kind. */
export function bodyTree(text: string, kind: BodyKind): ValueTree {
  switch (kind) {
    case 'form': {
      const tree = leaf(text);
      addPairs(tree, 0, text.length, 'form:');
      return tree;
    }
    case 'json':
      return jsonTree(text, 'json:') ?? bareBody(text);
    case 'xml':
      return xmlTree(text, 'xml:');
    case 'multipart':
      return multipartTree(text, 'part:') ?? leaf(text);
    case 'binary':
      return leaf(text);
    default:
      return bareBody(text);
  }
}

/** A body whose type says nothing: what it looks like decides, else it is one value. */
function bareBody(text: string): ValueTree {
  const tree = leaf(text);
  if (/^[\w.[\]%-]{1,80}=[^\s]*(&[\w.[\]%-]{1,80}=[^\s&]*)*$/.test(text)) addPairs(tree, 0, text.length, 'form:');
  else addKid(tree, 0, text.length, [null], 'body', '');
  return tree;
}

/** Finds the value in a header: the credential after a scheme, the parts of an address, the cookies, or the whole. */
export function headerTree(name: string, text: string): ValueTree {
  const tree = leaf(text);
  const lower = name.toLowerCase();
  const place = `header:${lower}`;
  if (lower === 'referer') return targetTree(text, `${place}/url:`);
  if (lower === 'cookie') {
    let from = 0;
    for (const pair of text.split(';')) {
      const equals = pair.indexOf('=');
      const pairName = pair.slice(0, equals).trim();
      if (equals > 0) addKid(tree, from + equals + 1, from + pair.length, ['percent', 'component', null], `cookie:${pairName}`, pairName);
      from += pair.length + 1;
    }
    return tree;
  }
  const scheme = lower === 'authorization' ? /^[A-Za-z]+ /.exec(text)?.[0].length : 0;
  addKid(tree, scheme ?? 0, text.length, [null], place, name);
  return tree;
}
