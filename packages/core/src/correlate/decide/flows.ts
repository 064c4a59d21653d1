import type { Encoding } from '../../values/template.schema.js';
import type { Evidence } from '../../script/script.schema.js';
import { isLeaf, type SentNode } from '../../actions/sent-values.js';
import { visitStill, type StepOfTake } from '../find/candidates.js';
import type { HandoffMaker, Target } from '../make/handoff-maker.js';
import { isBareId, sameThing } from '../find/naming.js';
import type { Origin } from '../find/value-index.js';
import { isWeak } from '../find/wanted.js';

/** A sent value, or a part of one, that is to be handed off. */
export interface Find {
  stepOfTake: StepOfTake;
  target: Target;
  origin: Origin;
  evidence: Evidence;
  reason: string;
  /** The spelling in which it is sent, where answers write it otherwise. */
  as?: Encoding | undefined;
  /** What it is called. */
  name: string;
  /** The weight of the evidence. */
  bits: number;
  /** What the second take sent there; undefined where it says nothing. */
  other: string | undefined;
  /** True where the page that showed the form gave it: then it is read there, whatever else gave the same. */
  ofPage: boolean;
}

/**
 * One text that is sent several times is one flow of data: it is judged once, with the evidence of all places, and handed off at all of
 * them. Places part where the second take sent different texts there.
 */
export class Flows {
  readonly #finds: Find[] = [];
  readonly #settled = new Set<string>();
  /** Places that a person filled, by step and place. */
  readonly inputs = new Set<string>();

  constructor(
    /** When the answer of an exchange had ended, in ms since the start of the take. */
    readonly endedMs: (exchange: number) => number,
  ) {}

  add(find: Find): void {
    this.#finds.push(find);
    this.settle(find.stepOfTake, find.target.node);
  }

  /** Says that a person typed or chose what a place sends. */
  input(stepOfTake: StepOfTake, node: SentNode): void {
    this.inputs.add(`${stepOfTake.step.id} ${node.place}`);
    this.settle(stepOfTake, node);
  }

  /** Says that a place is dealt with. */
  settle({ step }: StepOfTake, { place }: SentNode): void {
    this.#settled.add(`${step.id} ${place}`);
  }

  /** Hands off what was found: the same text from the same origin. `otherAt` is what the second take sent at a place. */
  resolve(
    maker: HandoffMaker,
    steps: readonly StepOfTake[],
    otherAt: (stepOfTake: StepOfTake, node: SentNode) => string | undefined,
  ): void {
    const groups = new Map<string, Find[]>();
    for (const find of this.#finds) {
      const key = flowKey(find.target.value, find.other);
      const group = groups.get(key);
      if (group) group.push(find);
      else groups.set(key, [find]);
    }
    for (const find of this.#finds) {
      const best = find.ofPage ? find : this.#bestFor(find, groups.get(flowKey(find.target.value, find.other)) ?? []);
      maker.handOff(find.target, best.origin, find.evidence === 'proven' ? find.evidence : best.evidence, best.reason, find.as);
    }
    this.#spread(maker, groups, steps, otherAt);
  }

  /** The find of a flow whose origin has the most weight and had answered before the value was sent. */
  #bestFor(find: Find, group: readonly Find[]): Find {
    return group
      .filter((candidate) => !candidate.ofPage && candidate.as === find.as && this.#endedBefore(candidate, find.stepOfTake))
      .reduce((best, candidate) => (candidate.bits > best.bits ? candidate : best), find);
  }

  #endedBefore({ origin }: Find, stepOfTake: StepOfTake): boolean {
    return this.endedMs(origin.exchange.n) <= stepOfTake.exchange.startedAtMs + 1;
  }

  /** Places that send the text of a flow and about which nothing was found by themselves go with it. */
  #spread(
    maker: HandoffMaker,
    groups: ReadonlyMap<string, Find[]>,
    steps: readonly StepOfTake[],
    otherAt: (stepOfTake: StepOfTake, node: SentNode) => string | undefined,
  ): void {
    const wholes = this.#finds.filter((find) => find.target.value === find.target.node.value);
    const composites = new Map<string, Find[]>();
    for (const find of this.#finds) {
      if (find.target.value === find.target.node.value) continue;
      const key = flowKey(find.target.node.value, otherAt(find.stepOfTake, find.target.node));
      const list = composites.get(key) ?? [];
      composites.set(key, list);
      // One place that sends it is the pattern for the others.
      if (list.every((candidate) => candidate.target.step === find.target.step && candidate.target.node.place === find.target.node.place))
        list.push(find);
    }
    const byValue = new Map<string, Find[]>();
    for (const whole of wholes) byValue.set(whole.target.value, [...(byValue.get(whole.target.value) ?? []), whole]);
    for (const step of steps)
      visitStill(step.step, (node) => {
        if (!isLeaf(node) || node.isName || this.#settled.has(`${step.step.id} ${node.place}`) || maker.has(step.step.id, node.place))
          return false;
        const otherValue = otherAt(step, node);
        const same = (otherValue === undefined ? byValue.get(node.value) : groups.get(flowKey(node.value, otherValue))) ?? [];
        const flow = same
          .filter((find) => find.target.value === find.target.node.value && this.#endedBefore(find, step) && isTied(find, node))
          .reduce<Find | null>((best, find) => (best === null || find.bits > best.bits ? find : best), null);
        if (flow)
          return maker.handOff(
            { step: step.step, node, value: node.value, start: 0, end: node.value.length },
            flow.origin,
            flow.evidence,
            flow.reason,
            flow.as,
          );
        const parts = (composites.get(flowKey(node.value, otherValue)) ?? []).filter((find) => this.#endedBefore(find, step));
        for (const { target, origin, evidence, reason, as } of parts)
          maker.handOff({ ...target, step: step.step, node }, origin, evidence, reason, as);
        return parts.length > 0;
      });
  }
}

const flowKey = (value: string, otherValue: string | undefined): string => `${value}\u0000${otherValue ?? ''}`;

/** A short value is the same thing only under a name of it. */
const isTied = (find: Find, node: SentNode): boolean =>
  !isWeak(node.value) || sameThing(find.name, node.name) || (isBareId(find.name) && isBareId(node.name));
