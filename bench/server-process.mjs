// The product as a process of its own, as its users start it.
import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const sturdy = fileURLToPath(new URL('../packages/cli/bin/sturdy.mjs', import.meta.url));
/** A busy machine takes its time. */
const longestStartMs = 120_000;

/** Starts a server on a data folder; resolves once it is ready with its process and its origin. Rejects with what it said where it does not start. */
export async function startServerProcess(data, args = []) {
  const child = spawn(process.execPath, [sturdy, 'serve', '--port', '0', '--proxy-port', '0', '--data', data, ...args]);
  let said = '';
  child.stderr.on('data', (piece) => (said += piece));
  const origin = await new Promise((done, failed) => {
    child.stdout.on('data', (piece) => {
      said += piece;
      const ready = /ready: (http:\S+)/.exec(said);
      if (ready) done(ready[1]);
    });
    child.on('exit', () => failed(new Error(`The server did not start: ${said}`)));
    setTimeout(() => failed(new Error(`The server did not start within ${longestStartMs / 1000} s: ${said}`)), longestStartMs).unref();
  });
  return { child, origin };
}

/** Ends a server by a signal; resolves once it is gone. */
export async function endServerProcess(child, signal) {
  const gone = new Promise((done) => child.once('exit', done));
  child.kill(signal);
  await gone;
}

/** Memory of a process in bytes, as Linux counts it. */
export const memoryOf = (child) => Number(/VmRSS:\s+(\d+) kB/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))[1]) * 1024;
