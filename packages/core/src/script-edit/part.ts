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
  const id = (oldId: string): string => ids.get(oldId) ?? oldId;
  const piece = (oldPiece: Piece): Piece | undefined =>
    oldPiece.kind === 'handoff'
      ? { ...oldPiece, handoff: id(oldPiece.handoff) }
      : oldPiece.kind === 'made'
        ? { ...oldPiece, made: id(oldPiece.made) }
        : undefined;
  const step = (oldStep: Step): Step => {
    const changed = changeTemplates({ ...oldStep, id: id(oldStep.id) }, (template) => mapPieces(template, piece));
    const inner = 'steps' in changed ? ({ ...changed, steps: changed.steps.map(step) } as Step) : changed;
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
  const giveId = (prefix: string, id: string): void => {
    if (!id.startsWith(prefix)) ids.set(id, freshId(taken, 'x', `${prefix}${id.split('.').at(-1) ?? id}`));
  };
  for (const { part, steps } of script.transactions) {
    if (part === undefined) continue;
    const prefix = ownPrefix(part);
    const inside = stepIds(steps);
    for (const id of inside) giveId(prefix, id);
    for (const handoff of script.handoffs) if (inside.has(handoff.origin)) giveId(prefix, handoff.id);
    const elsewhere = spokenOf(
      script.transactions.filter((transaction) => transaction.part !== part).flatMap((transaction) => transaction.steps),
    );
    const here = spokenOf(steps);
    for (const made of script.made) if (here.has(made.id) && !elsewhere.has(made.id)) giveId(prefix, made.id);
  }
  return ids.size === 0 ? script : renamed(script, ids);
}

/** A script of which one transaction is a part from now on. */
export const makePart = (script: Script, transaction: string, part: string): Script =>
  ownParts({
    ...script,
    transactions: script.transactions.map((candidate) => (candidate.id === transaction ? { ...candidate, part } : candidate)),
  });

/** A script of which a transaction is no part any more: it may be changed by itself. Its ids stay, as nothing else has them. */
export const leavePart = (script: Script, transaction: string): Script => ({
  ...script,
  transactions: script.transactions.map(({ part, ...rest }) => (rest.id === transaction || part === undefined ? rest : { ...rest, part })),
});

/** The part as a script has it; null where it has it not. The script has been through `ownParts`. */
export function partIn(script: Script, id: string): Part | null {
  const transaction = script.transactions.find((candidate) => candidate.part === id);
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
  const made = script.made.filter((generatedValue) => generatedValue.id.startsWith(prefix));
  const ownIds = new Set([...handoffs, ...made].map((named) => named.id));
  const names = new Map([...script.handoffs, ...script.made].map((named) => [named.id, named.name]));
  const foreign = [...spokenOf(transaction.steps)]
    .filter((spokenId) => !ownIds.has(spokenId) && names.has(spokenId))
    .map((spokenId) => ({ id: spokenId, name: names.get(spokenId) ?? spokenId }));
  return { id, projectId: script.projectId, name: transaction.name, steps: transaction.steps, handoffs, made, foreign };
}

/** A part without what differs from script to script: the numbers of exchanges of their takes. */
const bare = (part: Part): string =>
  JSON.stringify({ ...part, steps: part.steps.map(withoutExchanges), foreign: part.foreign.map((foreign) => foreign.name).sort() });

function withoutExchanges(step: Step): Step {
  const bareStep =
    step.kind === 'request' ? { ...step, exchange: null, hops: undefined } : step.kind === 'message' ? { ...step, exchange: null } : step;
  return 'steps' in bareStep ? ({ ...bareStep, steps: bareStep.steps.map(withoutExchanges) } as Step) : bareStep;
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
  const before = script.transactions.find((candidate) => candidate.part === part.id);
  const exchanges = new Map(
    allSteps(before?.steps ?? []).flatMap((oldStep) =>
      isRecorded(oldStep)
        ? [[oldStep.id, { exchange: oldStep.exchange, ...('hops' in oldStep && oldStep.hops && { hops: oldStep.hops }) }] as const]
        : [],
    ),
  );
  const prefix = ownPrefix(part.id);
  const others = <T extends Handoff | GeneratedValue>(list: readonly T[]): T[] => list.filter((item) => !item.id.startsWith(prefix));
  const byName = new Map([...others(script.handoffs), ...others(script.made)].map((named) => [named.name, named]));
  const madeIds = new Set(script.made.map((made) => made.id));
  const foreign = new Map(part.foreign.map(({ id, name }) => [id, byName.get(name) ?? null]));
  const missing = part.foreign.filter(({ id }) => foreign.get(id) === null).map((foreign) => foreign.name);
  const piece = (oldPiece: Piece): Piece | undefined => {
    const id = oldPiece.kind === 'handoff' ? oldPiece.handoff : oldPiece.kind === 'made' ? oldPiece.made : undefined;
    const adopted = id === undefined ? undefined : foreign.get(id);
    if (adopted === undefined || oldPiece.kind === 'text') return undefined;
    if (adopted === null) return { kind: 'text', text: oldPiece.recorded };
    return madeIds.has(adopted.id)
      ? { kind: 'made', made: adopted.id, recorded: oldPiece.recorded }
      : { kind: 'handoff', handoff: adopted.id, recorded: oldPiece.recorded };
  };
  const step = (oldStep: Step): Step => {
    const ownStep = changeTemplates(oldStep, (template) => mapPieces(template, piece));
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
    : {
        kind: 'transaction',
        id: freshId(new Set(script.transactions.map((candidate) => candidate.id)), 't'),
        name: part.name,
        part: part.id,
        steps,
      };
  const at = after === null ? -1 : script.transactions.findIndex((candidate) => candidate.id === after);
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
        ? script.transactions.map((candidate) => (candidate.part === part.id ? transaction : candidate))
        : script.transactions.toSpliced(at + 1, 0, transaction),
      handoffs: [...others(script.handoffs), ...handoffs],
      made: [...others(script.made), ...part.made],
    }),
    missing,
  };
}

/** Uses of handoffs that a part has no more get the recorded value back. */
function withoutOrphans(script: Script): Script {
  const known = new Set([...script.handoffs, ...script.made].map((named) => named.id));
  const piece = (oldPiece: Piece): Piece | undefined =>
    (oldPiece.kind === 'handoff' && !known.has(oldPiece.handoff)) || (oldPiece.kind === 'made' && !known.has(oldPiece.made))
      ? { kind: 'text', text: oldPiece.recorded }
      : undefined;
  const step = (oldStep: Step): Step => {
    const ownStep = changeTemplates(oldStep, (template) => mapPieces(template, piece));
    return 'steps' in ownStep ? ({ ...ownStep, steps: ownStep.steps.map(step) } as Step) : ownStep;
  };
  return { ...script, transactions: script.transactions.map((transaction) => ({ ...transaction, steps: transaction.steps.map(step) })) };
}
