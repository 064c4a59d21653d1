import type { LoadedTake } from '../take/take.schema.js';
import { requestSteps } from '../script/script.schema.js';
import { scriptFromTake } from '../script/from-take.js';
import { sentValues } from '../script/request-parts.js';
import type { SentValue } from '../script/sent-values.js';
import { everything } from '../tidy/tidy.schema.js';

/** The values that each exchange of a take sends, by their place; nothing of the take is left out or put together. */
export function sentByExchange(loaded: LoadedTake): Map<number, Map<string, SentValue>> {
  const script = scriptFromTake(loaded, { scriptId: '', name: '', tidy: everything });
  return new Map(
    requestSteps(script).flatMap(({ step }) =>
      step.exchange === null ? [] : [[step.exchange, new Map(sentValues(step).map((one) => [one.place, one]))] as const],
    ),
  );
}
