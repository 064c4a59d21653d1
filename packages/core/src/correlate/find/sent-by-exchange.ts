import type { LoadedTake } from '../../take/take.schema.js';
import { recordedSteps } from '../../script/script.schema.js';
import { scriptFromTake } from '../../script-from-take/from-take.js';
import { sentNodes } from '../../actions/sent-parts.js';
import { leavesOf, type SentNode, type SentValue } from '../../actions/sent-values.js';
import { everything } from '../../tidy/tidy.schema.js';

/** The values that each exchange of a take sends, as trees; nothing of the take is left out or put together. */
export function nodesByExchange(loaded: LoadedTake): Map<number, SentNode[]> {
  const script = scriptFromTake(loaded, { scriptId: '', name: '', tidy: everything, unnamed: true });
  return new Map(recordedSteps(script).flatMap(({ step }) => (step.exchange === null ? [] : [[step.exchange, sentNodes(step)] as const])));
}

/** The values that each exchange of a take sends, by their place. */
export const sentByExchange = (loaded: LoadedTake): Map<number, Map<string, SentValue>> =>
  new Map([...nodesByExchange(loaded)].map(([n, nodes]) => [n, new Map([...leavesOf(nodes)].map((node) => [node.place, node]))]));
