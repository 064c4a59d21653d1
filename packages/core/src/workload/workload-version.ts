import { sayListChange } from '../versions/version.js';
import type { Crew, Workload } from './workload.schema.js';

/** Fields of a workload, a crew and a curve whose change is told with their figures. */
const fieldWords: Record<string, string> = {
  name: 'name',
  users: 'users',
  ratePerHour: 'rate an hour',
  sharePercent: 'share',
  iterations: 'iterations each',
  onFailure: 'after a failed step',
  kind: 'kind',
  rampUpSeconds: 'ramp-up, s',
  holdSeconds: 'hold, s',
  rampDownSeconds: 'ramp-down, s',
  first: 'begin with',
  add: 'add each time',
  everySeconds: 'hold each, s',
  process: 'arrivals',
  atEnd: 'at the end',
  seconds: 'seconds',
  limitSeconds: 'time limit, s',
  generators: 'generators',
  seed: 'seed',
  environmentId: 'environment',
};

/** Changed fields of two objects: with their figures where they are told, else by name. */
function fields(before: object, after: object): string[] {
  const [left, right] = [before as Record<string, unknown>, after as Record<string, unknown>];
  return [...new Set([...Object.keys(left), ...Object.keys(right)])].flatMap((key) => {
    const [was, now] = [left[key], right[key]];
    if (JSON.stringify(was) === JSON.stringify(now)) return [];
    const name = fieldWords[key];
    const plain = (value: unknown): boolean => typeof value !== 'object' || value === null;
    if (name !== undefined && plain(was) && plain(now)) return [`${name} ${say(was)} → ${say(now)}`];
    return [name ?? key];
  });
}
const say = (value: unknown): string => (typeof value === 'string' || typeof value === 'number' ? String(value) : 'none');

/** What differs between two states of a workload, in a few words; empty where nothing does. */
export function sayWorkloadChange(before: Workload, after: Workload): string {
  const { crews: crewsBefore, curve: curveBefore, criteria: criteriaBefore, stopRules: rulesBefore = [], ...restBefore } = before;
  const { crews, curve, criteria, stopRules = [], ...rest } = after;
  const known = new Map(crewsBefore.map((crew) => [crew.id, crew]));
  const changesOf = (was: Crew, now: Crew): string[] => {
    const changed = fields(was, now);
    return changed.length === 0 ? [] : [`${now.name}: ${changed.join(', ')}`];
  };
  const changedCrews = crews.flatMap((now) => {
    const was = known.get(now.id);
    return was ? changesOf(was, now) : [`crew ${now.name} added`];
  });
  const gone = crewsBefore.filter((was) => !crews.some((now) => now.id === was.id)).map((was) => `crew ${was.name} removed`);
  const shape = fields(curveBefore, curve);
  return [
    ...fields(restBefore, rest),
    ...changedCrews,
    ...gone,
    ...(shape.length === 0 ? [] : [`curve: ${curveBefore.kind === curve.kind ? shape.join(', ') : `${curveBefore.kind} → ${curve.kind}`}`]),
    ...sayListChange(criteriaBefore, criteria, 'criterion', 'criteria'),
    ...sayListChange(rulesBefore, stopRules, 'stop rule'),
  ].join(' · ');
}
