import { createServer, type Server } from 'node:http';
import { Tally, type Frame } from '@sturdy/core';
import { Counter, Gauge, Registry } from 'prom-client';
import { UsageError } from '../usage-error.js';

/** What is known of a running test, added up from its frames; given out as OpenMetrics text (openmetrics.io, version 1.0). */
export class RunFigures {
  readonly #registry = new Registry<typeof Registry.OPENMETRICS_CONTENT_TYPE>();
  readonly #users: Gauge;
  readonly #iterations: Counter;
  readonly #transactions: Counter;
  readonly #response: Gauge;
  readonly #late: Gauge;
  readonly #seconds: Gauge;
  #second = -1;
  /** Worst delay of any generator in that second. */
  #worstMs = 0;
  #active = new Map<number, number>();
  #within = new Map<string, Tally>();
  passed = 0;
  failed = 0;

  constructor() {
    this.#registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE);
    const registers = [this.#registry];
    this.#users = new Gauge({ name: 'sturdy_users', help: 'Virtual users that are active.', registers });
    this.#seconds = new Gauge({ name: 'sturdy_run_seconds', help: 'Seconds since the start of the run.', registers });
    this.#iterations = new Counter({ name: 'sturdy_iterations', help: 'Iterations played.', labelNames: ['outcome'], registers });
    this.#transactions = new Counter({
      name: 'sturdy_transactions',
      help: 'Transactions played.',
      labelNames: ['transaction', 'outcome'],
      registers,
    });
    this.#response = new Gauge({
      name: 'sturdy_response_seconds',
      help: 'Response times of the last second with an answer, by nearest rank.',
      labelNames: ['transaction', 'quantile'],
      registers,
    });
    this.#late = new Gauge({ name: 'sturdy_generator_delay_seconds', help: 'Worst delay of an event loop in the last second.', registers });
  }

  hear(frame: Frame): void {
    if (frame.second !== this.#second) {
      this.#second = frame.second;
      this.#within = new Map();
      this.#worstMs = 0;
    }
    this.#active.set(frame.generator, frame.activeUsers);
    this.#users.set([...this.#active.values()].reduce((sum, count) => sum + count, 0));
    this.#seconds.set(frame.second + 1);
    this.passed += frame.iterationsPassed;
    this.failed += frame.iterationsFailed;
    this.#iterations.inc({ outcome: 'passed' }, frame.iterationsPassed);
    this.#iterations.inc({ outcome: 'failed' }, frame.iterationsFailed);
    this.#worstMs = Math.max(this.#worstMs, frame.loopDelayMs);
    this.#late.set(this.#worstMs / 1000);
    for (const { transaction, step, tally } of frame.items) {
      if (step !== null) continue;
      const ownTally = this.#within.get(transaction) ?? new Tally();
      ownTally.merge(Tally.from(tally));
      this.#within.set(transaction, ownTally);
      this.#transactions.inc({ transaction, outcome: 'passed' }, tally.count - tally.errors);
      this.#transactions.inc({ transaction, outcome: 'failed' }, tally.errors);
      const { p50Ms, p95Ms, p99Ms } = ownTally.summary(1);
      for (const [quantile, ms] of [
        ['0.5', p50Ms],
        ['0.95', p95Ms],
        ['0.99', p99Ms],
      ] as const)
        this.#response.set({ transaction, quantile }, ms / 1000);
    }
  }

  text(): Promise<string> {
    return this.#registry.metrics();
  }

  /** Gives the figures out at `/metrics` on this machine. Throws where the port is taken. */
  async serve(port: number): Promise<Server> {
    const server = createServer((request, response) => {
      if (request.url?.split('?')[0] !== '/metrics') {
        response.writeHead(404, { 'Content-Type': 'text/plain' }).end('The figures are at /metrics.\n');
        return;
      }
      void this.text().then((text) => response.writeHead(200, { 'Content-Type': Registry.OPENMETRICS_CONTENT_TYPE }).end(text));
    });
    await new Promise<void>((done, failed) => {
      server.once('error', (error) => {
        failed(new UsageError(`The port ${port} cannot be used for the figures: ${error.message}. Choose another with --metrics-port.`));
      });
      server.listen(port, '127.0.0.1', done);
    });
    return server;
  }
}
