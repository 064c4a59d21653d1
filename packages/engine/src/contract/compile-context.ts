import type { Environment, Script, ShownSigns, Template, ThinkTime, Timeouts } from '@sturdy/core';
import type { Fillers, Render } from '../values/template.js';

/** A script that cannot be played, with the reason. */
export class CompileError extends Error {}

/** How a script is compiled. */
export interface CompileOptions {
  think?: ThinkTime;
  /** Time-outs of the crew; the usual ones where it has none. */
  timeouts?: Timeouts;
  readFile?: (hash: string) => Uint8Array | undefined;
  /** Tables of which each action that sends something of them gets a new row. */
  dealtPerUse?: ReadonlySet<string>;
  /** Fetches files that follow each other at the same time, as browsers do. */
  filesSideBySide?: boolean;
  /** Failure signs that the recorded answers of steps hold. */
  shownSigns?: ShownSigns | undefined;
}

/** What the kinds of actions need to know to compile their steps. */
export interface CompileContext {
  script: Script;
  environment: Environment;
  options: CompileOptions;
  renderer: (template: Template) => Render;
  fill: Fillers;
  /** Where a step goes. Throws `CompileError` where the environment does not allow it. */
  originOf: (step: { origin: string; name: string }) => string;
  /** True where code may look at any answer before it. */
  usesCode: boolean;
  /** Steps whose answers are looked at again later. */
  keepsAnswerOf: ReadonlySet<string>;
}
