import { defaultTreeAdapter, parse, type DefaultTreeAdapterTypes } from 'parse5';
import type { AnswerText } from './response-view.js';

type Element = DefaultTreeAdapterTypes.Element;
type ParentNode = DefaultTreeAdapterTypes.ParentNode;
type Node = DefaultTreeAdapterTypes.ChildNode;

/** What a label of a page stands for: the text as people read it, and where the element stands. */
export interface LabelledText {
  text: string;
  start: number;
  end: number;
  /** The text of the row, list item or the like in which it stands; the whole page where there is none. */
  row: string;
}

const attributeOf = (element: Element, name: string): string | undefined =>
  element.attrs.find((attribute) => attribute.name === name)?.value;
const childrenOf = (node: ParentNode): Element[] => node.childNodes.filter((child) => defaultTreeAdapter.isElementNode(child));
/** Nodes within a node, in reading order; `enters` says whether to go into one. A page may be nested deeper than calls can be. */
function* nodesIn(node: ParentNode, enters: (element: Element) => boolean = () => true): Generator<Node> {
  const waiting = [...node.childNodes].reverse();
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    yield next;
    if (defaultTreeAdapter.isElementNode(next) && enters(next)) for (const child of next.childNodes.toReversed()) waiting.push(child);
  }
}
const elementsIn = (node: ParentNode): Element[] => [...nodesIn(node)].filter((child) => defaultTreeAdapter.isElementNode(child));
const parentOf = (element: Element): Element | null => {
  const parent = element.parentNode;
  return parent && 'tagName' in parent ? parent : null;
};
/** The elements behind one, within the same parent. */
function nextElements(element: Element): Element[] {
  const siblings = element.parentNode ? childrenOf(element.parentNode) : [];
  return siblings.slice(siblings.indexOf(element) + 1);
}

const isControl = ({ tagName }: Element): boolean => /^(input|select|textarea|output|button|meter|progress)$/.test(tagName);
const isRow = (element: Element): boolean =>
  /^(tr|li|article|fieldset|form)$/.test(element.tagName) || /^(row|listitem)$/.test(attributeOf(element, 'role') ?? '');

const squeezed = (text: string): string => text.replace(/\s+/g, ' ').trim();

/** A label without what is often put behind it. */
const asLabel = (text: string): string => squeezed(text).replace(/[\s:：*]+$/, '');

const isHidden = ({ tagName }: Element): boolean => /^(script|style|template)$/.test(tagName);

/** The text of an element without what is not shown. */
function textOf(element: Element): string {
  let text = '';
  for (const node of nodesIn(element, (inner) => !isHidden(inner))) if (defaultTreeAdapter.isTextNode(node)) text += node.value;
  return text;
}

/** An element that holds more than this is no label. */
const mostNodesOfLabel = 100;

/** The text of an element as a label, without the controls in it; empty where it is too large for one. */
function labelOf(element: Element): string {
  let text = '';
  let count = 0;
  for (const node of nodesIn(element, (inner) => !isHidden(inner) && !isControl(inner))) {
    if (++count > mostNodesOfLabel) return '';
    if (defaultTreeAdapter.isTextNode(node)) text += node.value;
  }
  return asLabel(text);
}

/** What an element shows: the value of a control, the chosen option of a list, else its text. */
function shownBy(element: Element): string {
  if (element.tagName === 'input') return attributeOf(element, 'value') ?? '';
  if (element.tagName === 'select') {
    const options = elementsIn(element).filter(({ tagName }) => tagName === 'option');
    const chosen = options.find((option) => attributeOf(option, 'selected') !== undefined) ?? options[0];
    return chosen ? squeezed(textOf(chosen)) : '';
  }
  return squeezed(textOf(element));
}

/** A page as its labels are looked for in it. */
class LabelledPage {
  readonly #elements: Element[];
  readonly #byId = new Map<string, Element>();

  constructor(body: string) {
    this.#elements = elementsIn(parse(body, { sourceCodeLocationInfo: true }));
    for (const element of this.#elements) {
      const id = attributeOf(element, 'id');
      if (id !== undefined && !this.#byId.has(id)) this.#byId.set(id, element);
    }
  }

  /** The elements that carry a label, in reading order. */
  carrying(label: string): Element[] {
    const wanted = asLabel(label);
    const declared = this.#elements.flatMap((element) => this.#declaredBy(element, wanted));
    // Many pages say only by their looks what belongs together: the label, and the thing behind it.
    const found = declared.length > 0 ? declared : this.#elements.flatMap((element) => behind(element, wanted));
    const places = new Map(this.#elements.map((element, at) => [element, at]));
    return [...new Set(found)].sort((left, right) => (places.get(left) ?? 0) - (places.get(right) ?? 0));
  }

  /** The elements for which another one says that it is their label. */
  #declaredBy(element: Element, label: string): Element[] {
    const name = element.tagName;
    const [ownLabel, labelledBy] = [attributeOf(element, 'aria-label'), attributeOf(element, 'aria-labelledby')];
    if (ownLabel !== undefined && asLabel(ownLabel) === label) return [element];
    if (labelledBy !== undefined) {
      const texts = labelledBy.split(/\s+/).map((id) => this.#byId.get(id));
      if (asLabel(texts.map((text) => (text ? labelOf(text) : '')).join(' ')) === label) return [element];
    }
    if (name === 'label' && labelOf(element) === label) {
      const id = attributeOf(element, 'for');
      const control = id === undefined ? elementsIn(element).find(isControl) : this.#byId.get(id);
      return control ? [control] : [];
    }
    if (name === 'dt' && labelOf(element) === label) return described(element);
    if (name === 'th' && labelOf(element) === label) return headed(element);
    return [];
  }
}

/** The descriptions of a term: those behind it up to the next term (HTML standard, 4.4.9). */
function described(term: Element): Element[] {
  const after = nextElements(term);
  const first = after.findIndex(({ tagName }) => tagName === 'dd');
  const last = after.findIndex((element, at) => first >= 0 && at > first && element.tagName === 'dt');
  return first < 0 ? [] : after.slice(first, last < 0 ? undefined : last).filter(({ tagName }) => tagName === 'dd');
}

const cellsOf = (row: Element): Element[] => childrenOf(row).filter(({ tagName }) => /^t[dh]$/.test(tagName));

/** The cells to which a header cell belongs: that behind it in its row, or, where its row has headers only, those below it (4.9.12). */
function headed(header: Element): Element[] {
  const row = parentOf(header);
  if (!row) return [];
  const cells = cellsOf(row);
  const at = cells.indexOf(header);
  const next = cells[at + 1];
  if (cells.some(({ tagName }) => tagName === 'td') && attributeOf(header, 'scope') !== 'col') return next?.tagName === 'td' ? [next] : [];
  let table = parentOf(row);
  while (table && table.tagName !== 'table') table = parentOf(table);
  const rows = table ? elementsIn(table).filter(({ tagName }) => tagName === 'tr') : [];
  return rows.slice(rows.indexOf(row) + 1).flatMap((below) => cellsOf(below)[at] ?? []);
}

/** What stands directly behind an element whose whole text is the label. */
function behind(element: Element, label: string): Element[] {
  if (isControl(element) || element.tagName === 'option' || labelOf(element) !== label) return [];
  // Of elements that hold nothing but one another the outermost that has something behind it counts.
  const [next] = nextElements(element);
  return next && squeezed(shownBy(next)) !== '' ? [next] : [];
}

function rowOf(element: Element): string {
  for (let around: Element | null = element; around; around = parentOf(around)) if (isRow(around)) return textOf(around);
  return '';
}

/** A page is read once, however many of its labels are asked for. */
const pages = new WeakMap<AnswerText, LabelledPage>();

/** What the elements of a page that carry a visible label show, in reading order; nothing where the answer is no page. */
export function labelledTexts(answer: AnswerText, label: string): LabelledText[] {
  if (answer.kind !== 'html' || asLabel(label) === '') return [];
  let page = pages.get(answer);
  if (!page) pages.set(answer, (page = new LabelledPage(answer.body)));
  return page.carrying(label).map((element) => ({
    text: shownBy(element),
    start: element.sourceCodeLocation?.startOffset ?? 0,
    end: element.sourceCodeLocation?.endOffset ?? 0,
    row: rowOf(element),
  }));
}
