import type { Extractor } from './extractor.schema.js';
import { recordedText } from '../values/template.js';

/** An extractor in words, as the screen shows it. */
export function describeExtractor(extractor: Extractor): string {
  const how = 'pick' in extractor ? extractor.pick : undefined;
  const which =
    how === 'any'
      ? 'any of '
      : how === 'last'
        ? 'the last of '
        : 'nth' in extractor && extractor.nth > 0
          ? `number ${extractor.nth + 1} of `
          : '';
  const after = extractor.within
    ? `, ${extractor.within.left === '' ? 'up to' : 'after'} “${extractor.within.left || extractor.within.right}”`
    : '';
  const row = extractor.beside ? `, where “${recordedText(extractor.beside)}” stands beside it` : '';
  return which + place(extractor) + after + row;
}

function place(extractor: Extractor): string {
  switch (extractor.kind) {
    case 'header':
      return `the header ${extractor.name}`;
    case 'cookie':
      return `the cookie ${extractor.name}`;
    case 'field':
      return `the form field ${extractor.name}`;
    case 'attribute':
      return `the attribute ${extractor.attribute} of <${extractor.element}${extractor.by ? ` ${extractor.by.name}="${extractor.by.value}"` : ''}>`;
    case 'jsonpath':
      return extractor.path;
    case 'xml':
      return `the element ${extractor.path}`;
    case 'xpath':
      return extractor.expression;
    case 'between':
      return `the text between “${extractor.left}” and “${extractor.right}”`;
    case 'regex':
      return `the text that ${extractor.pattern} finds`;
  }
}
