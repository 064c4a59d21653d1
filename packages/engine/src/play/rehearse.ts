import type { BodyRef, CapturedStep, Environment, RehearsalNote, Script } from '@sturdy/core';
import { capture, driverSource } from '../drivers/kinds.js';
import { compile } from '../program/compile.js';
import { codeThreads } from '../sandbox/code-threads.js';
import { VirtualUser, type Row } from './virtual-user.js';

/** What a rehearsal captured. */
export interface RehearsalCapture {
  steps: CapturedStep[];
  missing: { step: string; handoff: string }[];
  /** What steps that send nothing said, and how they failed. */
  notes: RehearsalNote[];
  /** Requests that were passed over, because a condition did not hold. */
  skipped: string[];
  /** The step before which the tester ended it. */
  endedBefore?: string;
}

/** A tester waits for it, so it gives up sooner than a virtual user does. */
const rehearsalTimeouts = { connectMs: 10_000, answerMs: 30_000 };

/** Plays a script once with everything captured. `put` stores a body; `onStep` hears of each step as it ends, with all that was captured so far. */
export async function rehearse(options: {
  script: Script;
  environment: Environment;
  /** Deals the next row of a table; null where there is none left. Without it, what was recorded is sent. */
  deal?: (table: string) => Promise<Row | null>;
  /** All rows of a table that a loop goes through; null where each round is dealt a row of its own. */
  listed?: (table: string) => readonly Row[] | null;
  /** Tables of which each request that sends something of them gets a new row. */
  dealtPerUse?: ReadonlySet<string>;
  random: () => number;
  put: (bytes: Uint8Array, mimeType: string) => BodyRef;
  readFile: (hash: string) => Uint8Array | undefined;
  onStep?: (step: CapturedStep, soFar: RehearsalCapture) => void;
  /** Asked before each step, with what was captured so far; `end` leaves out this step and all after it. */
  gate?: (step: string, soFar: RehearsalCapture) => Promise<'go' | 'end'>;
  longestPauseMs?: number;
}): Promise<RehearsalCapture> {
  const { environment } = options;
  const program = compile(options.script, environment, {
    readFile: options.readFile,
    timeouts: rehearsalTimeouts,
    ...(options.dealtPerUse && { dealtPerUse: options.dealtPerUse }),
    think: { kind: 'recorded', factor: 1, ms: 0, capMs: options.longestPauseMs ?? 200 },
  });
  if (program.usesCode) codeThreads.warmUp();
  const deal = options.deal ?? (() => Promise.resolve(null));
  const steps: CapturedStep[] = [];
  const missing: RehearsalCapture['missing'] = [];
  const started = performance.now();
  // After a connection that failed nothing more can be proved; the other steps are not sent.
  let unreachable = false;
  let endedBefore: string | undefined;
  const notes: RehearsalNote[] = [];
  const skipped: string[] = [];
  const soFar = (): RehearsalCapture => ({ steps, missing, notes, skipped, ...(endedBefore === undefined ? {} : { endedBefore }) });
  const user = new VirtualUser(
    program,
    driverSource(environment)(program.kinds, { timeouts: rehearsalTimeouts }),
    options.random,
    {
      step: (played) => {
        const captured = capture(played, started, options.put);
        steps.push(captured);
        missing.push(...played.missing.map((handoff) => ({ step: played.step, handoff })));
        if (!played.answered) unreachable = true;
        options.onStep?.(captured, soFar());
      },
      log: ({ step, text }) => {
        notes.push({ step, kind: 'log', text, afterStep: steps.at(-1)?.step ?? null });
      },
      failed: ({ step, failure }) => {
        notes.push({ step, kind: 'failed', text: failure.text, afterStep: steps.at(-1)?.step ?? null });
      },
      skipped: (passedOver) => {
        skipped.push(...passedOver);
      },
      transaction: () => undefined,
    },
    {
      stopsNow: () => unreachable || endedBefore !== undefined,
      gate: async (step) => {
        if ((await options.gate?.(step, soFar())) === 'end') endedBefore = step;
      },
      pause: (ms) => new Promise((done) => setTimeout(done, ms)),
      deal,
      listed: options.listed ?? (() => null),
    },
    true,
  );
  try {
    const rows = new Map<string, Row>();
    for (const table of program.tables) {
      const row = await deal(table);
      if (row) rows.set(table, row);
    }
    await user.iterate(rows, 'go-on');
    await user.end(rows);
  } finally {
    await user.close();
  }
  return soFar();
}
