import { fork, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { machineFiguresFile } from '../shipped/files.js';

/** The figures of this machine by the ids of `machineFigures` of core; null where the system does not tell one. */
export type MachineFigures = Record<string, number | null>;

type Answer = { values: MachineFigures } | { problem: string };

/** The helper has answered within milliseconds once it runs; a machine under load may take seconds to start it. */
const limitMs = 15_000;

/**
 * A small process that reads the figures of this machine. Reading them starts programs of the system, and to start one, the memory map of the
 * process is copied: out of the server, which is large, each start holds up its main thread for a tenth of a second and more. The helper itself is
 * best started while the server is small.
 */
class MachineHelper {
  #child: ChildProcess | null = null;
  #reading: Promise<MachineFigures> | null = null;

  /** Whoever asks while a reading is under way gets that one. Throws a sentence where the figures cannot be read. */
  read(): Promise<MachineFigures> {
    const runs = this.#child !== null;
    // A helper that ended since the last reading is found by the first who asks it; another one is started then.
    this.#reading ??= (runs ? this.#ask().catch(() => this.#ask()) : this.#ask()).finally(() => {
      this.#reading = null;
    });
    return this.#reading;
  }

  start(): void {
    this.#running();
  }

  #running(): ChildProcess {
    if (this.#child?.connected) return this.#child;
    const child = fork(fileURLToPath(machineFiguresFile), { execArgv: [], stdio: ['ignore', 'ignore', 'ignore', 'ipc'] });
    this.#child = child;
    // An error between two readings is found by the next one; unheard it would end the server.
    child.on('error', () => undefined);
    // It keeps nobody from ending.
    child.unref();
    child.channel?.unref();
    return child;
  }

  #ask(): Promise<MachineFigures> {
    const child = this.#running();
    return new Promise<MachineFigures>((resolve, reject) => {
      const fail = (text: string) => {
        child.kill();
        this.#child = null;
        reject(new Error(`The figures of this machine could not be read: ${text}`));
      };
      const timer = setTimeout(() => {
        end();
        fail(`the helper process did not answer within ${limitMs / 1000} seconds.`);
      }, limitMs);
      const onMessage = (answer: unknown) => {
        end();
        const answered = answer as Answer;
        if ('values' in answered) resolve(answered.values);
        else reject(new Error(`The figures of this machine could not be read: ${answered.problem}`));
      };
      const onExit = () => {
        end();
        fail('the helper process has ended.');
      };
      const onError = (error: Error) => {
        end();
        fail(error.message);
      };
      const end = () => {
        clearTimeout(timer);
        child.off('message', onMessage).off('exit', onExit).off('error', onError);
        child.channel?.unref();
      };
      child.on('message', onMessage).on('exit', onExit).on('error', onError);
      child.channel?.ref();
      child.send({}, (error) => {
        if (error) onError(error);
      });
    });
  }
}

const helper = new MachineHelper();

/** The figures of this machine, read outside this process. Throws a sentence where they cannot be read. */
export const machineFiguresNow = (): Promise<MachineFigures> => helper.read();

/** Starts the helper process where it does not run yet. */
export const startMachineHelper = (): void => {
  helper.start();
};
