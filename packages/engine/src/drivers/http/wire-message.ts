import type { Awaited, MessageStep } from '@sturdy/core';

/** The message that is waited for, its templates filled in; `sent` is the message whose places it repeats. */
export type AwaitedMessage = Awaited & { sent: string };

/** A message as a driver sends it, waits for it, or closes its WebSocket. */
export interface WireMessage {
  /** Where the WebSocket leads. */
  origin: string;
  /** The name by which the script knows it. */
  socket: string;
  action: MessageStep['action'];
  format: 'text' | 'binary';
  /** What is sent; null where nothing is. */
  body: Uint8Array | string | null;
  /** The message that is waited for; null where none is. */
  awaits: AwaitedMessage | null;
}

/** The message that was waited for; null where none was, or none came. */
export interface MessageObservation {
  answer: { format: 'text' | 'binary'; bytes: Uint8Array } | null;
}
