import { createHash } from 'node:crypto';
import { parentPort } from 'node:worker_threads';
import { CompileError } from '../contract/compile-context.js';
import type { FromRehearsal, ToRehearsal } from './rehearsal-threads.js';
import { rehearse, type RehearsalCapture } from './rehearse.js';
import type { Row } from './virtual-user.js';

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');
const say = (message: FromRehearsal): void => {
  port.postMessage(message);
};

const waiting = new Map<number, (value: unknown) => void>();
let asked = 0;
/** Asks the thread that started the rehearsal for what only it can give. */
const ask = <T>(question: { deal: string } | { gate: string }): Promise<T> =>
  new Promise((done) => {
    const id = ++asked;
    waiting.set(id, done as (value: unknown) => void);
    say({ kind: 'ask', id, ...question });
  });

/** Tells what was captured since the last time. */
function teller(): (soFar: Omit<RehearsalCapture, 'endedBefore'>) => void {
  const sentCounts = { steps: 0, missing: 0, notes: 0, skipped: 0 };
  return ({ steps, missing, notes, skipped }) => {
    say({
      kind: 'news',
      steps: steps.slice(sentCounts.steps),
      missing: missing.slice(sentCounts.missing),
      notes: notes.slice(sentCounts.notes),
      skipped: skipped.slice(sentCounts.skipped),
    });
    Object.assign(sentCounts, { steps: steps.length, missing: missing.length, notes: notes.length, skipped: skipped.length });
  };
}

async function play({ plan }: Extract<ToRehearsal, { kind: 'play' }>): Promise<void> {
  const put = new Set<string>();
  const tell = teller();
  try {
    const { endedBefore, ...capture } = await rehearse({
      script: plan.script,
      environment: plan.environment,
      listed: (table) => plan.listed.get(table) ?? null,
      dealtPerUse: plan.dealtPerUse,
      deal: (table) => ask<Row | null>({ deal: table }),
      random: Math.random,
      put: (bytes, mimeType) => {
        const hash = createHash('sha256').update(bytes).digest('hex');
        if (!put.has(hash)) say({ kind: 'body', bytes, mimeType });
        put.add(hash);
        return { hash, size: bytes.length, mimeType };
      },
      readFile: (hash) => plan.files.get(hash),
      onStep: (_, soFar) => {
        tell(soFar);
      },
      gate: (step, soFar) => {
        tell(soFar);
        return ask<'go' | 'end'>({ gate: step });
      },
    });
    tell(capture);
    say({ kind: 'ended', ...(endedBefore === undefined ? {} : { endedBefore }) });
  } catch (error) {
    say({
      kind: 'failed',
      message: error instanceof Error ? error.message : String(error),
      isCompileError: error instanceof CompileError,
    });
  }
}

port.on('message', (message: ToRehearsal) => {
  if (message.kind === 'play') void play(message);
  else if (message.kind === 'answer') {
    waiting.get(message.id)?.(message.value);
    waiting.delete(message.id);
  } else say({ kind: 'alive' });
});
// It is loaded; from now on it is heard of at least as often as it is asked.
say({ kind: 'alive' });
