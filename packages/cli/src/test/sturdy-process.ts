import { spawn } from 'node:child_process';
import { join } from 'node:path';

const sturdy = join(__dirname, '../../bin/sturdy.mjs');

/** How a command ended, and what it wrote. */
export interface Ended {
  status: number | null;
  out: string;
  error: string;
}

/** Runs the command line beside this process; `variables` are added to its environment. */
export function runSturdy(args: readonly string[], variables: Record<string, string> = {}): Promise<Ended> {
  return new Promise((done) => {
    const child = spawn(process.execPath, [sturdy, ...args], { env: { ...process.env, ...variables } });
    let [out, error] = ['', ''];
    child.stdout.on('data', (piece: Buffer) => (out += piece.toString()));
    child.stderr.on('data', (piece: Buffer) => (error += piece.toString()));
    child.on('close', (status) => {
      done({ status, out, error });
    });
  });
}

/** A server that is ready. */
export interface StartedServer {
  origin: string;
  /** What it said until then. */
  said: string;
  stop: () => Promise<void>;
}

/** Starts `sturdy serve` on free ports; resolves once it is ready. Rejects with what it said where it ends before. */
export async function startSturdy(args: readonly string[], variables: Record<string, string> = {}): Promise<StartedServer> {
  const child = spawn(process.execPath, [sturdy, 'serve', '--port', '0', '--proxy-port', '0', ...args], {
    env: { ...process.env, ...variables },
  });
  let said = '';
  child.stderr.on('data', (piece: Buffer) => (said += piece.toString()));
  const origin = await new Promise<string>((done, failed) => {
    child.stdout.on('data', (piece: Buffer) => {
      said += piece.toString();
      const ready = /is ready: (\S+)/.exec(said)?.[1];
      if (ready !== undefined) done(ready);
    });
    child.on('exit', () => {
      failed(new Error(`The server ended: ${said}`));
    });
  });
  const stop = async (): Promise<void> => {
    if (child.exitCode !== null) return;
    const gone = new Promise((done) => child.once('exit', done));
    child.kill('SIGTERM');
    await gone;
  };
  return { said, origin, stop };
}
