import { describeExtractor } from '../../extractors/describe-extractor.js';
import { checkExtractor, matchesOf, readsFromBody, readValue } from '../../extractors/extract.js';
import { compileExpression } from '../../values/expression.js';
import { isStill, recordedText } from '../../values/template.js';
import { compares } from '../compares.js';
import { comparisonText, hasRightSide } from '../comparison.js';
import { quoted } from '../kinds/check-kind.js';
import type { value } from '../kinds/value.js';
import { capital, type CheckAsker } from './check-asker.js';

/** Asks for a value that is read from an answer. */
export const valueAsker: CheckAsker<typeof value> = {
  failure: ({ extractor, is, than: template }, { view }, fill) => {
    const found = readValue(extractor, view, () => 0, fill) ?? '';
    const than = fill(template);
    // One of several is enough where any is meant.
    const all = 'pick' in extractor && extractor.pick === 'any' ? matchesOf(extractor, view, fill) : [found];
    if (all.some((match) => compares(match, is, than))) return null;
    return `${capital(describeExtractor(extractor))} is ${found === '' ? 'empty' : quoted(found)}, where it should be: ${comparisonText(is)}${hasRightSide(is) ? ` ${quoted(than)}` : ''}.`;
  },
  readsBody: ({ extractor }) => readsFromBody(extractor),
  problem: ({ extractor, is, than }) => {
    checkExtractor(extractor);
    if (is === 'matches' && isStill(than)) compileExpression(recordedText(than));
    return null;
  },
};
