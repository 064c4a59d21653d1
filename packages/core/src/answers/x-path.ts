import fontoxpath from 'fontoxpath';
import { parseXmlDocument, type Document } from 'slimdom';
import type { AnswerText } from './response-view.js';

/** Documents longer than this are not read into a tree. */
const longestDocument = 40_000_000;

/** A document that was read once; a step asks the same answer again and again. */
const documents = new WeakMap<AnswerText, Document | null>();

function documentOf(response: AnswerText): Document | null {
  const known = documents.get(response);
  if (known !== undefined) return known;
  let document: Document | null = null;
  // Entities that a document declares for itself could be expanded without end, so such a document is not read.
  if (response.kind === 'xml' && response.body.length <= longestDocument && !/<!ENTITY/i.test(response.body))
    try {
      document = parseXmlDocument(response.body.replace(/^\uFEFF/, '').trimStart());
    } catch {
      document = null;
    }
  documents.set(response, document);
  return document;
}

/** Namespaces as the document itself calls them; a name without a prefix is one of its default namespace. */
function resolverOf(document: Document): (prefix: string) => string | null {
  const found = new Map<string, string>();
  for (let node = document.documentElement; node; node = node.firstElementChild)
    for (const { name, value } of node.attributes) {
      const prefix = name === 'xmlns' ? '' : name.startsWith('xmlns:') ? name.slice(6) : null;
      if (prefix !== null && !found.has(prefix)) found.set(prefix, value);
    }
  return (prefix) => found.get(prefix) ?? (prefix === '' ? '' : null);
}

/** Parts of the language that could keep a virtual user busy without end. */
const endless = /\bto\b|\b(for|let|some|every|function)\b\s*[$(]/;
const withoutTexts = (expression: string): string => expression.replace(/"[^"]*"|'[^']*'/g, '""');

/** What an XPath expression (XPath 3.1, W3C 2017) selects in an XML answer, as texts. Throws where the expression is not valid. */
export function xPathTexts(expression: string, response: AnswerText): string[] {
  const document = documentOf(response);
  if (!document) {
    checkXPath(expression);
    return [];
  }
  return evaluate(expression, document);
}

/** Signs of the longest expression; what people write has some hundred. */
const longestExpression = 4000;

function evaluate(expression: string, document: Document): string[] {
  if (expression.length > longestExpression)
    throw new Error(
      `It has ${expression.length.toLocaleString('en')} signs, and at most ${longestExpression.toLocaleString('en')} are taken.`,
    );
  if (endless.test(withoutTexts(expression))) throw new Error('Ranges, loops and functions of your own are not allowed in it.');
  const texts = fontoxpath.evaluateXPathToStrings(expression, document, null, null, { namespaceResolver: resolverOf(document) });
  return texts.map((text) => text.trim());
}

/** Throws a sentence where an XPath expression is not valid. */
export function checkXPath(expression: string): void {
  try {
    evaluate(expression, parseXmlDocument('<a/>'));
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error);
    // A prefix that this document lacks may be one of the answer.
    if (message.includes('XPST0081')) return;
    throw new Error(/Error: (X\w+: [^\n]*)/.exec(message)?.[1] ?? message, { cause: error });
  }
}
