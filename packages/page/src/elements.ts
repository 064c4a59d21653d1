/** All elements of a document in order, those of open shadow roots behind their hosts. */
export function* allElements(root: Document | ShadowRoot | Element): Generator<Element> {
  for (const element of root.querySelectorAll('*')) {
    yield element;
    if (element.shadowRoot) yield* allElements(element.shadowRoot);
  }
}

/** True where an element takes room in its page. */
export const isVisible = (element: Element): boolean => {
  const style = getComputedStyle(element);
  return style.visibility !== 'hidden' && [...element.getClientRects()].some(({ width, height }) => width > 0 && height > 0);
};

/** A text as it is compared: without signs that only lay it out. */
export const plainText = (text: string | null | undefined): string => (text ?? '').replace(/\s+/g, ' ').trim();

/** The text of an element itself, without that of its children. */
export function ownText(element: Element): string {
  let text = '';
  for (const node of element.childNodes) if (node.nodeType === Node.TEXT_NODE) text += node.nodeValue ?? '';
  return plainText(text);
}

/**
 * True where a class, id or name looks as if a program had made it: with a digit among its letters or many of them, or without any vowel. It is another one
 * after the next build, or in the next session.
 */
export function looksMade(text: string): boolean {
  // A number between other parts counts what was drawn before it.
  if (/\d{2,}/.test(text) || /[:$]/.test(text) || /[-_]\d+[-_]/.test(text)) return true;
  const words = text.split(/[-_]+|(?<=[a-z])(?=[A-Z])/).filter((word) => word !== '');
  return words.some(
    (word) => (/\d/.test(word) && word.length > 2) || (word.length >= 4 && !/[aeiouy]/i.test(word)) || /[A-Z].*[a-z].*[A-Z]/.test(word),
  );
}

/** Names that differ with the data are no good ways: numbers of four digits or more, and days. */
export const looksLikeData = (text: string): boolean => /\d{4,}|\d{1,2}[.:/-]\d{1,2}/.test(text);

/** The first text that says something; empty where none does. */
export const firstText = (...texts: readonly (string | null | undefined)[]): string =>
  texts.map(plainText).find((text) => text !== '') ?? '';
