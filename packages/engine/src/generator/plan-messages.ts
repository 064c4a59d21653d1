import type { Plan, ToGenerator } from './messages.js';
import { piecesOf } from './pieces.js';

/** The messages that bring a plan to its generator, without what it has to ask for. */
export const planMessages = (plan: Plan): ToGenerator[] => piecesOf(JSON.stringify(plan)).map((piece) => ({ kind: 'plan', ...piece }));

/** The messages that bring a body. */
export const bodyMessages = (hash: string, bytes: Uint8Array): ToGenerator[] =>
  piecesOf(Buffer.from(bytes).toString('base64')).map((piece) => ({ kind: 'body', hash, ...piece }));
