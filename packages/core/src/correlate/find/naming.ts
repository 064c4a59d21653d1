/** Names that say more than the header they are sent in (RFC 9110, 13.1). */
const headerNames: Record<string, string> = { 'if-match': 'record version', etag: 'record version', authorization: 'access token' };

/** A name in plain words for a handoff: `formKey` becomes “form key”, the id in `/intakes/7` becomes “intake”. */
export function plainName(name: string, place: string): string {
  const known = headerNames[name.toLowerCase()];
  if (known) return known;
  const words = name
    .replace(/^x-/i, '')
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .replace(/[^A-Za-z\d]+/g, ' ')
    // Ids in a name say nothing of what it is.
    .replace(/\b\d{2,}\b/g, '')
    .replace(/ {2,}/g, ' ')
    .trim()
    .toLowerCase();
  if (words === '') return 'value';
  return place.includes('path:') ? words.replace(/ies$/, 'y').replace(/([^s])s$/, '$1') : words;
}

/** Names that are given once each. */
export class Names {
  readonly #taken: Set<string>;
  readonly #last = new Map<string, number>();

  constructor(taken: Iterable<string>) {
    this.#taken = new Set(taken);
  }

  /** The name, with a number where it is taken; taken from then on. */
  take(wanted: string): string {
    let count = this.#last.get(wanted) ?? 1;
    let name = wanted;
    while (this.#taken.has(name)) name = `${wanted} ${++count}`;
    this.#last.set(wanted, count);
    this.#taken.add(name);
    return name;
  }
}

const plain = (text: string): string => text.toLowerCase().replace(/[^a-z\d]/g, '');

/** Two names of the same thing, whatever their case and separators. */
export const sameName = (left: string, right: string): boolean => plain(left) !== '' && plain(left) === plain(right);

/** The thing that a name speaks of, without what says that it is an id, and in the singular: `post_ID` and `posts` both mean a post. */
function thing(name: string): string {
  const known = things.get(name);
  if (known !== undefined) return known;
  const plainName = plain(name)
    .replace(/(?<=.{2})(ids?|number|no|key|uuid|guid)$/, '')
    .replace(/ies$/, 'y')
    .replace(/([^s])s$/, '$1');
  if (things.size >= mostThings) things.clear();
  things.set(name, plainName);
  return plainName;
}

// The same few names are compared millions of times while a long page is read.
const things = new Map<string, string>();
const mostThings = 10_000;

/** Two names that speak of the same kind of thing. */
export const sameThing = (left: string, right: string): boolean => thing(left) !== '' && thing(left) === thing(right);

/** A key that says only “the id of this”, without of what. */
export const isBareId = (name: string): boolean => /^(id|uuid|guid|pk|oid|key|number|no|value)$/.test(plain(name));
