import * as z from 'zod';
import { textStart } from '../cut-text.js';
import { visitStill, stepsOfTake } from './find/candidates.js';
import { ValueIndex } from './find/value-index.js';
import { describeExtractor } from '../extractors/describe-extractor.js';
import { scriptFromTake } from '../script-from-take/from-take.js';
import { placeOfResponse, recordedSteps } from '../script/script.schema.js';
import type { LoadedTake } from '../take/take.schema.js';
import { everything } from '../tidy/tidy.schema.js';
import { PatternBook } from './weigh/pattern-match.js';
import type { HandoffPattern } from '../patterns/pattern.schema.js';

/** A value of a take that a pattern knows. */
export const PatternFindSchema = z.object({
  step: z.string(),
  number: z.number().int(),
  place: z.string(),
  value: z.string(),
  /** How it would be read, in words, and from which request; null where no earlier answer gives it as the pattern says. */
  reads: z.string().nullable(),
  from: z.string().nullable(),
});
export type PatternFind = z.infer<typeof PatternFindSchema>;

const mostFinds = 500;

/** What a pattern would find in a take. Throws a sentence where an expression of the pattern is not valid. */
export function previewPattern(loaded: LoadedTake, pattern: HandoffPattern): PatternFind[] {
  const book = new PatternBook([{ ...pattern, enabled: true }]);
  const script = scriptFromTake(loaded, { scriptId: 'preview', name: 'preview', tidy: everything });
  const index = ValueIndex.of(loaded, script, undefined, book.knows);
  const names = new Map(recordedSteps(script).map(({ step, number }) => [step.id, `${number}, ${step.name}`]));
  const found: PatternFind[] = [];
  for (const stepOfTake of stepsOfTake(script, loaded))
    visitStill(stepOfTake.step, (node) => {
      if (node.isName || found.length >= mostFinds || !book.knows(node.value, node.name, node.place)) return false;
      const known = book.find(node.value, node.name, node.place, index.origins(node.value, node.name, stepOfTake.exchange));
      const place = known && placeOfResponse(script, known.origin.exchange.n);
      found.push({
        step: stepOfTake.step.name,
        number: stepOfTake.number,
        place: node.place,
        value: textStart(node.value, 200),
        reads: known ? describeExtractor(known.origin.extractor) : null,
        from: place ? (names.get(place.step) ?? null) : null,
      });
      return false;
    });
  return found;
}
