import type { ActionStep } from '../../actions/action-step.schema.js';
import type { Check, Checked } from '../../check/check.schema.js';
import type { Template } from '../../values/template.schema.js';
import type { CheckText } from './check-text.schema.js';
import type { StepWriter } from './step-writer.js';

/** Reads a template of a step; what is wrong with it is told with the path at which it stands. */
export type TemplateReader = (text: string, path: PropertyKey[]) => Template;

/** What reading a step may ask of the reader of the script. */
export interface StepReading {
  /** The id of a step or check: the one that is written, or a new one that begins with the letter. */
  id: (written: string | undefined, letter: string, path: PropertyKey[]) => string;
  problem: (path: PropertyKey[], offset: number, message: string) => void;
  /** The origin of a step: its own, or that of the script. Tells where there is none, or what stands there is none. */
  origin: (written: string | undefined, path: PropertyKey[]) => string;
  /** Reads the templates of a step, with what was recorded in their pieces. */
  templates: (recorded: Record<string, string> | undefined) => TemplateReader;
  check: (check: CheckText, path: PropertyKey[], template: TemplateReader) => Check;
  checked: (check: CheckText, path: PropertyKey[], template: TemplateReader) => Checked;
}

/** The text form of a kind of action step. */
export interface ActionText<Step extends ActionStep, Text> {
  write: (step: Step, writer: StepWriter) => Text;
  /** Reads what the schema has let through; tells `reading` what is wrong with it. */
  read: (text: Text, reading: StepReading, path: PropertyKey[]) => Step;
}
