import type * as z from 'zod';
import type { AnswerText } from '../../answers/response-view.js';
import type { Fill } from '../../extractors/extract.js';
import type { CheckKind } from '../kinds/check-kind.js';

/** What a check is held against: an answer, and what else is known of it. */
export interface Answer {
  view: AnswerText;
  /** Where it redirects to; undefined where it does not. */
  location: string | undefined;
  /** Bytes of the body as it was decoded. */
  bytes: number;
  durationMs: number;
}

/** How a kind of check is asked. Its functions are methods, so that a table of all kinds can be asked by the kind of a check. */
export interface CheckAsker<Kind extends CheckKind = CheckKind> {
  /** Why it fails, in a sentence; null where it holds. `fill` gives the text of a template as it is now. */
  failure(checked: z.infer<Kind['schema']>, answer: Answer, fill: Fill): string | null;
  /** True where it needs the body of an answer. */
  readsBody(checked: z.infer<Kind['schema']>): boolean;
  /** What is wrong with it by itself, in a sentence; absent where nothing can be. Throws where an expression is not valid. */
  problem?(checked: z.infer<Kind['schema']>): string | null;
}

/** A sentence that begins as sentences do. */
export const capital = (text: string): string => text.slice(0, 1).toUpperCase() + text.slice(1);
