import * as z from 'zod';
import { freshId } from './arrange.js';
import { allSteps, StepSchema, type Step } from '../script/step.schema.js';
import {
  HandoffSchema,
  GeneratedValueSchema,
  readFrom,
  readPlaces,
  type Handoff,
  type GeneratedValue,
  type Script,
  type Transaction,
} from '../script/script.schema.js';
import { changeTemplates, templatesOf } from '../script/step-templates.js';
import { mapPieces, movingPieces } from '../values/template.js';
import type { Piece } from '../values/template.schema.js';
import { isRecorded } from '../actions/sent-parts.js';
import { withMessageSteps } from '../script/stored-script.schema.js';

/**
 * A sequence of steps that is kept once and used in several scripts, such as a sign-in. It owns the handoffs that are read in its steps and
 * what is made by the client for them; `foreign` are values that it sends and that are read or made elsewhere, by their names.
 */
export const PartSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  steps: z.array(StepSchema),
  handoffs: z.array(HandoffSchema),
  made: z.array(GeneratedValueSchema),
  foreign: z.array(z.object({ id: z.string(), name: z.string() })),
});
export type Part = z.infer<typeof PartSchema>;

/** A part as it was stored, by this version or an earlier one. */
export const StoredPartSchema = z.preprocess(withMessageSteps, PartSchema);

/** Ids of what belongs to a part begin so, in each script that has it; so they never meet other ids. */
const ownPrefix = (part: string): string => `${part}.`;

const stepIds = (steps: readonly Step[]): Set<string> => new Set(allSteps(steps).map((step) => step.id));

/** Changes the ids of steps, handoffs and client-made values wherever a script names them. */
function renamed(script: Script, ids: ReadonlyMap<string, string>): Script {
  const id = (one: string): string => ids.get(one) ?? one;
  const piece = (one: Piece): Piece | undefined =>
    one.kind === 'handoff' ? { ...one, handoff: id(one.handoff) } : one.kind === 'made' ? { ...one, made: id(one.made) } : undefined;
  const step = (one: Step): Step => {
    const own = changeTemplates({ ...one, id: id(one.id) }, (template) => mapPieces(template, piece));
    const inner = 'steps' in own ? ({ ...own, steps: own.steps.map(step) } as Step) : own;
    return inner.kind === 'repeat' && inner.loop?.kind === 'each-match'
      ? { ...inner, loop: { ...inner.loop, step: id(inner.loop.step) } }
      : inner;
  };
  return {
    ...script,
    transactions: script.transactions.map((transaction) => ({ ...transaction, steps: transaction.steps.map(step) })),
    handoffs: script.handoffs.map((handoff) => ({
      ...handoff,
      id: id(handoff.id),
      origin: id(handoff.origin),
      ...(handoff.also && { also: handoff.also.map((place) => ({ ...place, step: id(place.step) })) }),
      ...(handoff.extractor.beside && { extractor: { ...handoff.extractor, beside: mapPieces(handoff.extractor.beside, piece) } }),
    })),
    made: script.made.map((made) => ({ ...made, id: id(made.id) })),
    unsure: script.unsure.map((value) => ({ ...value, step: id(value.step), origin: value.origin === null ? null : id(value.origin) })),
  };
}

/** Ids of handoffs and client-made values that templates of steps speak of. */
const spokenOf = (steps: readonly Step[]): Set<string> =>
  new Set(
    allSteps(steps)
      .flatMap(templatesOf)
      .flatMap((template) => [...movingPieces(template)])
      .flatMap((piece) => (piece.kind === 'handoff' ? [piece.handoff] : piece.kind === 'made' ? [piece.made] : [])),
  );

/**
 * Gives everything that belongs to the parts of a script an id of the part: steps, handoffs that are read in them, and client-made values
 * that only they send. What has one keeps it.
 */
export function ownParts(script: Script): Script {
  const ids = new Map<string, string>();
  const taken = new Set([
    ...script.transactions.flatMap((transaction) => [...stepIds(transaction.steps)]),
    ...script.handoffs.map((handoff) => handoff.id),
    ...script.made.map((made) => made.id),
  ]);
  const own = (prefix: string, id: string): void => {
    if (!id.startsWith(prefix)) ids.set(id, freshId(taken, 'x', `${prefix}${id.split('.').at(-1) ?? id}`));
  };
  for (const { part, steps } of script.transactions) {
    if (part === undefined) continue;
    const prefix = ownPrefix(part);
    const inside = stepIds(steps);
    for (const id of inside) own(prefix, id);
    for (const handoff of script.handoffs) if (inside.has(handoff.origin)) own(prefix, handoff.id);
    const elsewhere = spokenOf(
      script.transactions.filter((transaction) => transaction.part !== part).flatMap((transaction) => transaction.steps),
    );
    const here = spokenOf(steps);
    for (const made of script.made) if (here.has(made.id) && !elsewhere.has(made.id)) own(prefix, made.id);
  }
  return ids.size === 0 ? script : renamed(script, ids);
}

/** A script of which one transaction is a part from now on. */
export const makePart = (script: Script, transaction: string, part: string): Script =>
  ownParts({ ...script, transactions: script.transactions.map((one) => (one.id === transaction ? { ...one, part } : one)) });

/** A script of which a transaction is no part any more: it may be changed by itself. Its ids stay, as nothing else has them. */
export const leavePart = (script: Script, transaction: string): Script => ({
  ...script,
  transactions: script.transactions.map(({ part, ...one }) => (one.id === transaction || part === undefined ? one : { ...one, part })),
});

/** The part as a script has it; null where it has it not. The script has been through `ownParts`. */
export function partIn(script: Script, id: string): Part | null {
  const transaction = script.transactions.find((one) => one.part === id);
  if (!transaction) return null;
  const inside = stepIds(transaction.steps);
  const prefix = ownPrefix(id);
  const handoffs = script.handoffs
    .filter((handoff) => inside.has(handoff.origin))
    // What is read again outside of the part is told by the script, not by the part.
    .map((handoff) => {
      const [first, ...also] = readPlaces(handoff).filter(({ step }) => inside.has(step));
      return first ? readFrom(handoff, first, also) : handoff;
    });
  const made = script.made.filter((one) => one.id.startsWith(prefix));
  const own = new Set([...handoffs, ...made].map((one) => one.id));
  const names = new Map([...script.handoffs, ...script.made].map((one) => [one.id, one.name]));
  const foreign = [...spokenOf(transaction.steps)]
    .filter((one) => !own.has(one) && names.has(one))
    .map((one) => ({ id: one, name: names.get(one) ?? one }));
  return { id, projectId: script.projectId, name: transaction.name, steps: transaction.steps, handoffs, made, foreign };
}

/** A part without what differs from script to script: the numbers of exchanges of their takes. */
const bare = (part: Part): string =>
  JSON.stringify({ ...part, steps: part.steps.map(withoutExchanges), foreign: part.foreign.map((one) => one.name).sort() });

function withoutExchanges(step: Step): Step {
  const own =
    step.kind === 'request' ? { ...step, exchange: null, hops: undefined } : step.kind === 'message' ? { ...step, exchange: null } : step;
  return 'steps' in own ? ({ ...own, steps: own.steps.map(withoutExchanges) } as Step) : own;
}

/** True where two parts are the same for everybody who plays them. */
export const samePart = (left: Part, right: Part): boolean => bare(left) === bare(right);

/** A script with a part put into it or brought up to date, and the names of what the part sends and this script does not have. */
export interface WithPart {
  script: Script;
  missing: string[];
}

/**
 * Puts a part behind a transaction (at the start where `after` is null), or brings it up to date where the script has it already. Steps keep
 * the exchanges that they stand for in the script's own take; steps that are new here stand for none.
 */
export function applyPart(script: Script, part: Part, after: string | null = null): WithPart {
  const before = script.transactions.find((one) => one.part === part.id);
  const exchanges = new Map(
    allSteps(before?.steps ?? []).flatMap((one) =>
      isRecorded(one) ? [[one.id, { exchange: one.exchange, ...('hops' in one && one.hops && { hops: one.hops }) }] as const] : [],
    ),
  );
  const prefix = ownPrefix(part.id);
  const others = <T extends Handoff | GeneratedValue>(list: readonly T[]): T[] => list.filter((one) => !one.id.startsWith(prefix));
  const byName = new Map([...others(script.handoffs), ...others(script.made)].map((one) => [one.name, one]));
  const madeIds = new Set(script.made.map((made) => made.id));
  const foreign = new Map(part.foreign.map(({ id, name }) => [id, byName.get(name) ?? null]));
  const missing = part.foreign.filter(({ id }) => foreign.get(id) === null).map((one) => one.name);
  const piece = (one: Piece): Piece | undefined => {
    const id = one.kind === 'handoff' ? one.handoff : one.kind === 'made' ? one.made : undefined;
    const own = id === undefined ? undefined : foreign.get(id);
    if (own === undefined || one.kind === 'text') return undefined;
    if (own === null) return { kind: 'text', text: one.recorded };
    return madeIds.has(own.id)
      ? { kind: 'made', made: own.id, recorded: one.recorded }
      : { kind: 'handoff', handoff: own.id, recorded: one.recorded };
  };
  const step = (one: Step): Step => {
    const ownStep = changeTemplates(one, (template) => mapPieces(template, piece));
    if ('steps' in ownStep) return { ...ownStep, steps: ownStep.steps.map(step) } as Step;
    if (!isRecorded(ownStep)) return ownStep;
    const { exchange, hops } = exchanges.get(ownStep.id) ?? { exchange: null };
    if (ownStep.kind === 'message') return { ...ownStep, exchange };
    const { hops: _of, ...rest } = ownStep;
    return { ...rest, exchange, ...(hops && { hops }) };
  };
  const steps = part.steps.map(step);
  const transaction: Transaction = before
    ? { ...before, name: part.name, steps }
    : { kind: 'transaction', id: freshId(new Set(script.transactions.map((one) => one.id)), 't'), name: part.name, part: part.id, steps };
  const at = after === null ? -1 : script.transactions.findIndex((one) => one.id === after);
  // What the script reads again outside of the part goes on being read there.
  const again = new Map(
    script.handoffs.map((handoff) => [handoff.id, readPlaces(handoff).filter(({ step: place }) => !place.startsWith(prefix))]),
  );
  const handoffs = part.handoffs.map((handoff) => {
    const [first, ...also] = [...readPlaces(handoff), ...(again.get(handoff.id) ?? [])];
    return first ? readFrom(handoff, first, also) : handoff;
  });
  return {
    script: withoutOrphans({
      ...script,
      transactions: before
        ? script.transactions.map((one) => (one.part === part.id ? transaction : one))
        : script.transactions.toSpliced(at + 1, 0, transaction),
      handoffs: [...others(script.handoffs), ...handoffs],
      made: [...others(script.made), ...part.made],
    }),
    missing,
  };
}

/** Uses of handoffs that a part has no more get the recorded value back. */
function withoutOrphans(script: Script): Script {
  const known = new Set([...script.handoffs, ...script.made].map((one) => one.id));
  const piece = (one: Piece): Piece | undefined =>
    (one.kind === 'handoff' && !known.has(one.handoff)) || (one.kind === 'made' && !known.has(one.made))
      ? { kind: 'text', text: one.recorded }
      : undefined;
  const step = (one: Step): Step => {
    const ownStep = changeTemplates(one, (template) => mapPieces(template, piece));
    return 'steps' in ownStep ? ({ ...ownStep, steps: ownStep.steps.map(step) } as Step) : ownStep;
  };
  return { ...script, transactions: script.transactions.map((transaction) => ({ ...transaction, steps: transaction.steps.map(step) })) };
}
