import type { Environment } from '../environment/environment.schema.js';
import { actionSteps, type Script } from './script.schema.js';

/** Origins of a script's steps as recorded, each once. Messages go where the requests go that opened their WebSockets. */
export const recordedOrigins = (script: Script): string[] => [
  ...new Set(actionSteps(script).flatMap(({ step }) => ('origin' in step ? [step.origin] : []))),
];

/** Origins to which a script goes in an environment, each once. */
export const scriptTargets = (script: Script, { map }: Pick<Environment, 'map'>): string[] => [
  ...new Set(recordedOrigins(script).map((origin) => map[origin] ?? origin)),
];
