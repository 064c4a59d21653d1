import type { Aim, Way } from '@sturdy/core';
import { computeAccessibleName, getRole } from 'dom-accessibility-api';
import { allElements, firstText, isVisible, looksLikeData, looksMade, ownText, plainText } from './elements.js';

/** A way without what it found. */
type PlainWay = Way extends infer Each ? (Each extends Way ? Omit<Each, 'found'> : never) : never;
type Finder = { [Kind in Way['kind']]: (way: Extract<Way, { kind: Kind }>, elements: readonly Element[]) => Element[] };

const testIds = ['data-testid', 'data-test-id', 'data-test', 'data-qa', 'data-cy', 'data-automation-id'];
/** Attributes that people or programs gave for good; `id` and `name` count where they do not look made. */
const stableAttributes = ['id', 'name', 'placeholder', 'title', 'alt', 'aria-label', 'type', 'value', 'href', 'for'];
const mostSigns = 120;
/** A text that stands before an element and names it is short. */
const mostNearSigns = 40;
const fields = 'input, select, textarea';

export const roleOf = (element: Element): string => getRole(element) ?? '';
export const nameOf = (element: Element): string => plainText(computeAccessibleName(element));

function labelOf(element: Element): string {
  const labels = (element as HTMLInputElement).labels;
  const label = labels?.[0];
  if (label) {
    // What stands in the field is no part of its label.
    const copy = label.cloneNode(true) as Element;
    for (const field of copy.querySelectorAll(`${fields}, button`)) field.remove();
    return plainText(copy.textContent);
  }
  return plainText(element.getAttribute('aria-label'));
}

/** The text that stands last before an element, within the same part of the page. */
function textBefore(element: Element): string {
  for (let at: Element | null = element, steps = 0; at && steps < 4; at = at.parentElement, steps++)
    for (let before: Node | null = at.previousSibling; before; before = before.previousSibling) {
      const text = plainText(before.textContent);
      if (text !== '' && text.length <= mostNearSigns && !(before instanceof Element && before.matches('script, style, template')))
        return text;
    }
  return '';
}

/** Blocks that may become several, whether or not there is a second one now. */
const rows = 'tr, li, [role=row], [role=listitem], [role=treeitem]';

/**
 * What the block says first in which an element stands: the card or row that holds it alone of all that are like it, or the row where nothing is like it
 * yet. It tells buttons apart that every block has. Empty where there is no block.
 */
function headOfBlock(element: Element, alike: readonly Element[]): string {
  const others = alike.filter((other) => other !== element);
  if (others.length === 0) {
    const row = element.parentElement?.closest(rows);
    return row ? headIn(row, element) : '';
  }
  let block = element;
  for (let above = block.parentElement; above && !others.some((other) => above?.contains(other)); above = above.parentElement)
    block = above;
  return block === element ? '' : headIn(block, element);
}

/** The heading of a block, else the first short text in it that is not of the element. */
function headIn(block: Element, element: Element): string {
  const heading = block.querySelector('h1, h2, h3, h4, h5, h6, [role=heading], th, [role=rowheader]');
  for (const part of [...(heading ? [heading] : []), ...block.querySelectorAll('*')]) {
    const text = plainText(part.textContent);
    if (text !== '' && text.length <= mostNearSigns && !part.contains(element) && !element.contains(part)) return text;
  }
  return '';
}

/** What an element is called where it has a name of its own; what fields hold is none. */
const calledOf = (element: Element): string => {
  const name = element.matches(fields) ? '' : nameOf(element);
  return name.length <= 60 ? name : '';
};

const namedLike = (tag: string, name: string, elements: readonly Element[]): Element[] =>
  elements.filter((element) => element.localName === tag && (name === '' || calledOf(element) === name));

/** The visible ones of some elements, as pages hide a second one for small screens; all of them where none is. */
function visibleOf(elements: readonly Element[]): Element[] {
  const visible = elements.filter(isVisible);
  return visible.length > 0 ? visible : [...elements];
}

/** A path of CSS selectors from the nearest ancestor with an id that was given for good, else from the root of the document or shadow root. */
function pathTo(element: Element): string {
  const parts: string[] = [];
  for (let at: Element | null = element; at; at = at.parentElement) {
    if (at !== element && at.id !== '' && !looksMade(at.id) && !/\d/.test(at.id)) {
      parts.unshift(`#${CSS.escape(at.id)}`);
      break;
    }
    const same = at.parentElement ? [...at.parentElement.children].filter((sibling) => sibling.localName === at.localName) : [];
    parts.unshift(same.length > 1 ? `${at.localName}:nth-of-type(${same.indexOf(at) + 1})` : at.localName);
  }
  return parts.join(' > ');
}

const finders: Finder = {
  role: ({ role, name }, elements) => elements.filter((element) => roleOf(element) === role && nameOf(element) === name),
  label: ({ text }, elements) => elements.filter((element) => element.matches(fields) && labelOf(element) === text),
  text: ({ tag, text }, elements) => elements.filter((element) => element.localName === tag && plainText(element.textContent) === text),
  'test-id': ({ attribute, value }, elements) => elements.filter((element) => element.getAttribute(attribute) === value),
  attribute: ({ tag, attribute, value }, elements) =>
    elements.filter((element) => element.localName === tag && element.getAttribute(attribute) === value),
  near: ({ tag, name, text }, elements) => {
    const named = namedLike(tag, name, elements);
    const alike = visibleOf(named);
    return named.filter((element) => (alike.includes(element) && headOfBlock(element, alike) === text) || textBefore(element) === text);
  },
  path: ({ css }, elements) => elements.filter((element) => matchesPath(element, css)),
};

function matchesPath(element: Element, css: string): boolean {
  try {
    return element.matches(css);
  } catch {
    return false;
  }
}

/** What a way finds, the visible ones where there are some. */
export function foundBy(way: PlainWay, elements: readonly Element[]): Element[] {
  const found = (finders[way.kind] as (way: PlainWay, elements: readonly Element[]) => Element[])(way, elements);
  return visibleOf(found);
}

/** All elements of the document, for `foundBy`. */
export const elementsOf = (root: Document): Element[] => [...allElements(root)];

/** Ways to an element, best first; each with how many elements it finds now. A way that does not find the element itself is none. */
export function waysTo(element: Element): Way[] {
  const tag = element.localName;
  const [role, name, label] = [roleOf(element), nameOf(element), labelOf(element)];
  const elements = elementsOf(element.ownerDocument);
  const ways: PlainWay[] = [];
  const isShort = (text: string) => text !== '' && text.length <= mostSigns;
  const named: PlainWay[] = [];
  if (role !== '' && isShort(name)) named.push({ kind: 'role', role, name });
  if (element.matches(fields) && isShort(label)) named.push({ kind: 'label', text: label });
  const text = plainText(element.textContent);
  if (!element.matches(fields) && isShort(text) && text.length <= 60) named.push({ kind: 'text', tag, text });
  for (const attribute of testIds) {
    const value = element.getAttribute(attribute);
    if (value !== null && isShort(value)) ways.push({ kind: 'test-id', attribute, value });
  }
  for (const attribute of stableAttributes) {
    const value = element.getAttribute(attribute);
    if (value === null || !isShort(value)) continue;
    if (attribute === 'value' && !element.matches('input[type=submit], input[type=button], input[type=radio], input[type=checkbox]'))
      continue;
    if (attribute === 'type' && !element.matches('input, button')) continue;
    if ((attribute === 'id' || attribute === 'name' || attribute === 'for') && looksMade(value)) continue;
    // A link with a number or a key in it leads to one thing of many.
    if (attribute === 'href' && /[\d?&]/.test(value)) continue;
    ways.push({ kind: 'attribute', tag, attribute, value });
  }
  const called = calledOf(element);
  const alike = visibleOf(namedLike(tag, called, elements));
  const head = headOfBlock(element, alike);
  if (isShort(head)) ways.push({ kind: 'near', tag, name: called, text: head });
  const before = textBefore(element);
  const shown = element.matches(fields) || text.length > 60 ? '' : text;
  if (isShort(before) && !(before === head && shown === called)) ways.push({ kind: 'near', tag, name: shown, text: before });
  ways.push({ kind: 'path', css: pathTo(element) });
  // What a page shows of its data is another thing with other data, so such names come after what stays.
  const isData = (way: PlainWay) => ('name' in way ? looksLikeData(way.name) : 'text' in way && looksLikeData(way.text));
  const ordered = [...named.filter((way) => !isData(way)), ...ways.slice(0, -1), ...named.filter(isData), ...ways.slice(-1)];
  return ordered
    .map((way) => ({ way, found: foundBy(way, elements) }))
    .filter(({ found }) => found.includes(element))
    .map(({ way, found }) => ({ ...way, found: found.length }))
    .sort((left, right) => Number(left.found > 1) - Number(right.found > 1));
}

/** What an element is called in words. */
export function elementWords(element: Element): string {
  const role = roleOf(element);
  const plain = element.matches('input, textarea') ? 'field' : element.localName;
  const kind = roleWords[role] ?? (role === '' || role === 'generic' ? plain : role);
  const called = firstText(
    labelOf(element),
    nameOf(element),
    element.getAttribute('placeholder'),
    element.getAttribute('name'),
    ownText(element),
  );
  return called === '' ? kind : `${kind} “${called.slice(0, mostSigns)}”`;
}
const roleWords: Readonly<Record<string, string>> = {
  textbox: 'field',
  searchbox: 'field',
  spinbutton: 'field',
  combobox: 'list',
  listbox: 'list',
  img: 'picture',
  menuitem: 'menu item',
  row: 'row',
  gridcell: 'cell',
  cell: 'cell',
};

/** How to find an element again. */
export const aimAt = (element: Element): Aim => ({ words: elementWords(element), ways: waysTo(element) });
