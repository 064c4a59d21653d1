import { recordedText } from '../values/template.js';
import { kindOf, type Extractor } from './extractor.schema.js';

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
  return which + kindOf(extractor).words(extractor) + after + row;
}
