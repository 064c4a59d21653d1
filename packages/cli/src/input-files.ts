import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import {
  clearanceLines,
  clearanceProblem,
  environmentOfFile,
  EnvironmentFileSchema,
  giveSecrets,
  missingSecretsOf,
  environmentProblem,
  HarStream,
  policyProblem,
  readPatterns,
  readScript,
  readYamlAs,
  unclearedTarget,
  type TargetPolicy,
  type YamlSchema,
  type BodyRef,
  type Environment,
  type Exchange,
  type HandoffPattern,
  unfoldSockets,
  type LoadedTake,
  type Script,
} from '@sturdy/core';
import { pinAddresses } from '@sturdy/engine';
import { UsageError } from './usage-error.js';

/** Bodies by the SHA-256 of their bytes, in memory. */
export class BodyShelf {
  readonly #bytes = new Map<string, Uint8Array>();
  readonly #texts = new Map<string, string>();

  readonly put = (bytes: Uint8Array, mimeType: string): BodyRef => {
    const hash = createHash('sha256').update(bytes).digest('hex');
    this.#bytes.set(hash, bytes);
    return { hash, size: bytes.length, mimeType };
  };

  readonly bytes = (hash: string): Uint8Array | undefined => this.#bytes.get(hash);

  readonly text = (hash: string): string | undefined => {
    const known = this.#texts.get(hash);
    if (known !== undefined) return known;
    const bytes = this.#bytes.get(hash);
    if (!bytes) return undefined;
    const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString('utf8');
    this.#texts.set(hash, text);
    return text;
  };
}

/** A HAR file as a take, with the entries that could not be read. */
export interface TakeFile {
  file: string;
  loaded: LoadedTake;
  shelf: BodyShelf;
  problems: { entry: number; text: string }[];
}

export function mustExist(file: string, what: string): void {
  if (!existsSync(file)) throw new UsageError(`${what} ${file} does not exist.`);
}

/** Reads a HAR file piece by piece. */
export async function readTake(file: string): Promise<TakeFile> {
  mustExist(file, 'The HAR file');
  const shelf = new BodyShelf();
  const exchanges: Exchange[] = [];
  const stream = new HarStream(shelf, (exchange) => exchanges.push(exchange));
  let end: ReturnType<HarStream['end']>;
  try {
    for await (const piece of createReadStream(file)) stream.write(piece as Uint8Array);
    end = stream.end();
  } catch (error) {
    throw new UsageError(`${file} cannot be read: ${error instanceof Error ? error.message : String(error)}`);
  }
  if (end.renumber) {
    const to = new Map(end.renumber.order.map((pair) => [pair.from, pair.to]));
    for (const exchange of exchanges) {
      exchange.n = to.get(exchange.n) ?? exchange.n;
      exchange.startedAtMs += end.renumber.shiftMs;
    }
    exchanges.sort((left, right) => left.n - right.n);
  }
  // What a file of a project holds is a take as it was, with its messages.
  const unfolded = end.whole ? exchanges.sort((left, right) => left.n - right.n) : unfoldSockets(exchanges, shelf).exchanges;
  if (unfolded.length === 0) throw new UsageError(`${file} holds no request that could be read.`);
  const name = basename(file).replace(/\.har$/i, '');
  return {
    file: basename(file),
    shelf,
    problems: end.problems,
    loaded: {
      take: { id: randomUUID(), projectId: 'file', name, startedAt: end.startedAt, state: 'done', marks: end.marks, harLog: null },
      exchanges: unfolded,
      readBody: shelf.text,
      readBytes: shelf.bytes,
    },
  };
}

/** Reads a script and the bodies that travel with it. */
export function readScriptFile(file: string): { script: Script; files: Map<string, Uint8Array> } {
  mustExist(file, 'The script');
  const read = readScript(readFileSync(file, 'utf8'), { id: basename(file), projectId: 'file', takeId: '', secondTakeId: null });
  if ('problems' in read) throw new UsageError(faultLines(file, read.problems.slice(0, 20)));
  return { script: read.script, files: new Map([...read.files].map(([hash, text]) => [hash, Buffer.from(text, 'base64')])) };
}

/** Reads a file of handoff patterns. */
export function readPatternFile(file: string): HandoffPattern[] {
  mustExist(file, 'The file of patterns');
  const read = readPatterns(readFileSync(file, 'utf8'));
  if ('problems' in read) throw new UsageError(faultLines(file, read.problems));
  return read.list;
}

/** The day that comes after so many, as YYYY-MM-DD. */
const inDays = (days: number): string => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);

/**
 * Looks up the targets that are cleared, tells where they lead, and pins them there for this command. Throws where a name has no address, or one to
 * which nothing may be sent, or that a policy forbids.
 */
export async function withPinnedTargets(environment: Environment, policies: readonly TargetPolicy[]): Promise<Environment> {
  if (environment.clearances.length === 0) return environment;
  const pinned = await pinAddresses(environment).catch((error: unknown) => {
    throw new UsageError(error instanceof Error ? error.message : String(error));
  });
  const problem = environmentProblem(pinned, Date.now());
  if (problem !== null) throw new UsageError(problem);
  const forbidden = policies.flatMap((policy) => pinned.clearances.map((clearance) => policyProblem(policy, clearance)));
  for (const sentence of forbidden) if (sentence !== null) throw new UsageError(sentence);
  for (const { origin, by, until, addresses } of pinned.clearances)
    process.stderr.write(`${origin} (${addresses.join(', ')}) was cleared by ${by} until ${until}.\n`);
  return pinned;
}

/** What is wrong with a file, a line each: file, line, column, and what to write. */
export const faultLines = (file: string, problems: readonly { line: number; column: number; message: string }[]): string =>
  problems.map(({ line, column, message }) => `${file}:${line}:${column}: ${message}`).join('\n');

/** Reads a YAML file of a schema; `what` it is stands in what is said where it does not exist. Throws with file, line and what is wrong. */
export function readYamlFile<T>(file: string, what: string, schema: YamlSchema<T>): T {
  mustExist(file, what);
  const read = readYamlAs(readFileSync(file, 'utf8'), schema);
  if ('problems' in read) throw new UsageError(faultLines(file, read.problems));
  return read.value;
}

/** Reads an environment file. `secretOf` gives secrets by the names that stand there. Throws where one is not given, or a target is not cleared. */
export function readEnvironmentFile(file: string, secretOf: (name: string) => string | undefined): Environment {
  const named = environmentOfFile(readYamlFile(file, 'The environment file', EnvironmentFileSchema));
  if (named.targets.length === 0)
    throw new UsageError(`${file}: It names no target. Write under targets: what may be hit, such as http://127.0.0.1:4701.`);
  const environment = giveSecrets(named, secretOf);
  const missing = missingSecretsOf(environment);
  if (missing.length > 0)
    throw new UsageError(
      [
        `${file} names secrets that are not given. Set each as a variable of the environment of this command, or give a file of NAME=value lines with --secrets:`,
        ...missing.map(({ name, what }) => `  ${name}  (${what})`),
      ].join('\n'),
    );
  const uncleared = unclearedTarget(environment);
  if (uncleared !== undefined)
    throw new UsageError(
      `${file}: ${clearanceProblem(environment, uncleared, Date.now()) ?? ''}\nIn ${file} it would be:\n\n${clearanceLines(uncleared, inDays(30))}`,
    );
  const problem = environmentProblem(environment, Date.now());
  if (problem !== null) throw new UsageError(`${file}: ${problem}`);
  return environment;
}

export const writeJson = (file: string, value: unknown): void => {
  writeFileSync(file, `${JSON.stringify(value, null, 2)}\n`);
};
