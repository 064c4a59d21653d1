import type { ChangeTemplate } from '../check/kinds/check-kind.js';
import type { CheckKindName } from '../check/check.schema.js';
import type { ExtractorKindName } from '../extractors/extractor.schema.js';
import type { MovingPiece } from '../values/template.js';
import type { Template } from '../values/template.schema.js';
import type { ActionStep, CapturedStep } from './action-step.schema.js';
import type { SentValue } from './sent-values.js';

/** A value that a step sends. */
export interface BoundValue extends SentValue {
  /** The kind of the moving piece that stands for it; absent where it is sent as it was recorded. */
  piece?: MovingPiece['kind'];
}

/** What the rest of the program needs to know of a kind of action step. Its functions are methods, so that a table of all kinds can be asked. */
export interface ActionKind<Step extends ActionStep = ActionStep, Captured extends CapturedStep = CapturedStep> {
  /** What such a step is called: one, and many. */
  noun: string;
  nouns: string;
  /** The step with all its templates changed, those of its checks too. */
  changeTemplates(step: Step, change: ChangeTemplate): Step;
  /** What each of these templates is, in words, in the order in which `changeTemplates` meets them. */
  templateWords(step: Step): string[];
  /** The templates of what it sends; those of checks are not among them. */
  sent(step: Step): Template[];
  /** What it does, in a word: the method of a request. */
  verb(step: Step): string;
  /** Its name without that word. */
  shortName(step: Step): string;
  /** True where it may change something in the application. */
  mayChange(step: Step): boolean;
  /** The values that a tester sees in what it sends, each with the kind of the piece that stands for it, where one does. */
  values(step: Step): BoundValue[];
  /** Hashes of stored bodies that it sends, apart from those in its templates. */
  files(step: Step): string[];
  /** Numbers of the exchanges in the take that it stands for, the first one first; none for a step made by hand. */
  exchanges(step: Step): number[];
  /** What can be checked of its answer. */
  checks: readonly CheckKindName[];
  /** How values can be read from its answer. */
  extractors: readonly ExtractorKindName[];
  /** Hashes of the stored bodies of a played step, those that were sent and those that came. */
  bodies(captured: Captured): string[];
  /** Where a played step went and what it did there: `POST http://127.0.0.1:4801/desk`. */
  playedWords(captured: Captured): string;
  /** What came back in a few words, such as a status; null where nothing did. */
  answerWords(captured: Captured): string | null;
}
