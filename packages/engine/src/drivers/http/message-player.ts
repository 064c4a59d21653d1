import { contentFailureOf, messageType, MessageView, noTimings, signOf, type BodyRef, type CapturedMessage } from '@sturdy/core';
import type { Driver } from '../../contract/driver.js';
import { allHold, askChecks, readHandoffs } from '../../contract/judge-answer.js';
import { perform } from '../../contract/perform.js';
import type { AnyPlayed, Player, PlayerGround } from '../../contract/player.js';
import type { Scope } from '../../values/scope.js';
import type { CompiledMessage } from './compile-message.js';
import type { HttpPlayer } from './http-player.js';
import type { MessageObservation, WireMessage } from './wire-message.js';

/** A message that was played. */
export interface PlayedMessage extends AnyPlayed<MessageObservation> {
  kind: 'message';
  message: WireMessage;
  /** Where its WebSocket leads. */
  url: string;
}

const decoder = new TextDecoder();

/** Plays messages over WebSockets: fills them in, and judges the messages that answer. */
export class MessagePlayer implements Player<CompiledMessage, PlayedMessage> {
  constructor(
    readonly driver: Driver<WireMessage, MessageObservation>,
    readonly ground: PlayerGround,
    /** Plays the requests of the same user: it knows where WebSockets lead, and what code wants changed of what is sent next. */
    readonly requests: HttpPlayer,
  ) {}

  renew(): void {
    // What lasts between messages are the WebSockets, which the player of requests knows.
  }

  async play(transaction: string, action: CompiledMessage, scope: Scope): Promise<PlayedMessage> {
    const startedAtMs = performance.now();
    // Code changes what is sent next; waiting and closing send nothing.
    const next = action.action === 'send' ? this.requests.takeNext() : null;
    const body = next?.body ?? (typeof action.body === 'function' ? action.body(scope) : action.body);
    const { origin, socket, format } = action;
    const awaits = action.awaits?.(typeof body === 'string' ? body : '', scope) ?? null;
    const message: WireMessage = { origin, socket, action: action.action, format, body, awaits };
    const outcome = await perform(this.driver, message, this.ground.rules);
    const url = origin + this.requests.targetOf(socket);
    const answer = outcome.observation?.answer ?? null;
    let { failure } = outcome;
    let missing: string[] = [];
    let checks = allHold;
    if (failure === null) {
      const view = viewOf(answer);
      failure = (answer && contentFailureOf(view, action.expect)) ?? signOf(view, action.failureSigns);
      missing = readHandoffs(action.extracts, view, scope);
      if (this.ground.usesCode) this.requests.last = { url, view };
      if (this.ground.keepsAnswerOf.has(action.step)) this.ground.answers.set(action.step, view);
      const bytes = answer?.bytes.length ?? 0;
      checks = askChecks(action.checks, { view, location: undefined, bytes, durationMs: outcome.durationMs }, this.ground.fill, scope);
      failure ??= checks.failures[0] ?? null;
    }
    return {
      kind: 'message',
      transaction,
      step: action.step,
      startedAtMs,
      outcome,
      firstByteMs: Math.max(0, outcome.phases['wait'] ?? 0),
      // The WebSocket was answered when it was opened; a message that does not come says nothing of whether the application can be reached.
      answered: true,
      status: null,
      fromCache: false,
      failure,
      checks: checks.failures.map(({ text }) => text),
      asks: checks.asks,
      missing,
      message,
      url,
    };
  }
}

/** The message that was waited for; an empty one where none was. */
function viewOf(answer: MessageObservation['answer']): MessageView {
  const text = answer?.format === 'text' ? decoder.decode(answer.bytes) : '';
  return new MessageView(messageType(answer?.format ?? 'text', text), text);
}

const encoder = new TextEncoder();

/** A played message as it is stored; bodies go to `put`, which gives their references. */
export function captureMessage(
  { message, outcome, ...played }: PlayedMessage,
  zeroMs: number,
  put: (bytes: Uint8Array, mimeType: string) => BodyRef,
): CapturedMessage {
  const stored = (body: Uint8Array | string | null, format: 'text' | 'binary'): BodyRef | null => {
    if (body === null) return null;
    const text = typeof body === 'string' ? body : format === 'text' ? decoder.decode(body) : '';
    return put(typeof body === 'string' ? encoder.encode(body) : body, messageType(format, text));
  };
  const answer = outcome.observation?.answer ?? null;
  return {
    kind: 'message',
    step: played.step,
    startedAtMs: played.startedAtMs - zeroMs,
    durationMs: outcome.durationMs,
    action: message.action,
    url: played.url,
    sent: message.action === 'send' ? stored(message.body, message.format) : null,
    answer: answer && stored(answer.bytes, answer.format),
    failure: outcome.failure?.text ?? null,
    ...(played.failure === null ? {} : { failureCode: played.failure.code }),
    ...(played.checks.length === 0 ? {} : { checks: played.checks }),
    timings: Object.keys(outcome.phases).length === 0 ? noTimings : { ...outcome.phases },
  };
}
