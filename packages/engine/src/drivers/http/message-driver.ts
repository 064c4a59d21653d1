import type { Driver, Outcome } from '../../contract/driver.js';
import type { UserSockets } from './user-sockets.js';
import type { MessageObservation, WireMessage } from './wire-message.js';

/** Performs messages over the WebSockets of one virtual user, which its requests have opened. */
export class MessageDriver implements Driver<WireMessage, MessageObservation> {
  constructor(
    readonly sockets: UserSockets,
    /** ms for which a message is waited for at the most. */
    readonly limitMs: number,
  ) {}

  perform(message: WireMessage): Promise<Outcome<MessageObservation>> {
    return this.sockets.use(message, this.limitMs);
  }

  // What lasts between messages are the WebSockets, which belong to the requests that opened them.
  reset(): Promise<void> {
    return Promise.resolve();
  }

  close(): Promise<void> {
    return Promise.resolve();
  }
}
