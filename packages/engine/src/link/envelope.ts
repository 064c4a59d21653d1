import * as z from 'zod';

/** Who talks: the run, and the generator on one end of the link; the conductor is on the other. */
export interface LinkIdentity {
  run: string;
  generator: number;
}

const identity = { run: z.string(), generator: z.number().int().min(0) };

/**
 * What goes over the wire between conductor and generator: a message in its place of the sequence, or none (sequence 0), and what has come from
 * the other end. Times in ms on the clock of the sender.
 */
export const envelopeOf = <Message extends z.ZodType>(message: Message) =>
  z.object({
    version: z.literal(1),
    ...identity,
    /** Place of the message, counted from 1; 0 where the envelope carries none. */
    sequence: z.number().int().min(0),
    /** All messages of the other end up to this place have come. */
    acknowledges: z.number().int().min(0),
    sentMs: z.number(),
    /** When the other end sent the last envelope that came from it, on its own clock; null before the first one came. */
    echoMs: z.number().nullable(),
    /** How long that envelope has been here. */
    heldMs: z.number(),
    message: message.nullable(),
  });

/** An envelope with a message of some type. */
export interface Envelope<Message> extends LinkIdentity {
  version: 1;
  sequence: number;
  acknowledges: number;
  sentMs: number;
  echoMs: number | null;
  heldMs: number;
  message: Message | null;
}
