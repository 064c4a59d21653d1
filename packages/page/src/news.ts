import type { Act, Aim } from '@sturdy/core';

/** What a document tells of a person: an act with its aim, or a key that marks the recording. Times are of `Date.now()`. */
export type PageNews =
  | { kind: 'act'; act: Act; aim: Aim | null; at: number; until: number }
  | { kind: 'shortcut'; key: 'begin' | 'end' | 'pause' }
  | { kind: 'clicked'; text: string };
