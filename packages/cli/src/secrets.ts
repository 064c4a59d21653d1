import { readFileSync } from 'node:fs';
import { parseEnv } from 'node:util';
import type { Command } from 'commander';
import { mustExist } from './input-files.js';

/** Where a command has the secrets that its files name. */
export interface SecretsOptions {
  secrets?: string;
}

export const addSecretsOption = (command: Command): Command =>
  command.option(
    '--secrets <file>',
    'secrets that the environment file names as { secret: NAME }: lines of NAME=value; else they are read from the environment of the command',
  );

/** Gives a secret by its name: from the file of the options, else from the environment of the command. Throws where the file does not exist. */
export function secretsFrom({ secrets }: SecretsOptions): (name: string) => string | undefined {
  if (secrets === undefined) return (name) => process.env[name];
  mustExist(secrets, 'The file of secrets');
  const given = parseEnv(readFileSync(secrets, 'utf8'));
  return (name) => given[name] ?? process.env[name];
}
