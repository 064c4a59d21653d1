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

/** A command that goes on until it is ended. */
export interface StartedCommand {
  /** Resolves once it has said this, after what was heard of it before. */
  says: (words: string) => Promise<void>;
  end: () => void;
}

/** Starts a command that goes on. */
export function startCommand(args: readonly string[]): StartedCommand {
  const child = spawn(process.execPath, [sturdy, ...args]);
  let unheard = '';
  let heard: () => void = () => undefined;
  for (const stream of [child.stdout, child.stderr])
    stream.on('data', (piece: Buffer) => {
      unheard += piece.toString();
      heard();
    });
  child.on('exit', () => {
    heard();
  });
  return {
    says: async (words) => {
      while (!unheard.includes(words)) {
        if (child.exitCode !== null) throw new Error(`It ended before it said “${words}”: ${unheard}`);
        await new Promise<void>((done) => (heard = done));
      }
      unheard = unheard.slice(unheard.indexOf(words) + words.length);
    },
    end: () => {
      child.kill('SIGTERM');
    },
  };
}
