import { existsSync, readFileSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { checkFile, type WrittenKind } from '@sturdy/core';
import type { Command } from 'commander';
import { mustExist, faultLines } from '../input-files.js';

const kindWords: Record<WrittenKind, string> = {
  script: 'a script',
  environment: 'an environment',
  workload: 'a workload',
  patterns: 'handoff patterns',
  policy: 'a policy',
  project: 'a project',
  part: 'a part',
  table: 'a data table',
  brief: 'a brief',
};
const foundFaults = 1;

export function addCheck(program: Command): void {
  program
    .command('check')
    .description('say everything that is wrong with files that people write, with line and column; nothing is sent anywhere')
    .argument('<file...>', 'scripts, workloads, environments, handoff patterns, policies, files of a project')
    .addHelpText(
      'after',
      `
What a file is, is known by its members: transactions, crews, targets, patterns, networks.
Exit status: 0 nothing is wrong, 1 something is, 2 a file cannot be read.
Example: sturdy check thursday.yaml env.yaml scripts/*.yaml`,
    )
    .action((files: string[]) => {
      for (const file of files) mustExist(file, 'The file');
      for (const file of files) {
        const beside = (name: string) => existsSync(resolve(dirname(file), name));
        const { kind, problems } = checkFile(readFileSync(file, 'utf8'), beside, Date.now());
        if (problems.length === 0 && kind !== null) process.stdout.write(`${file}: ${kindWords[kind]}, nothing is wrong\n`);
        else {
          process.exitCode = foundFaults;
          process.stdout.write(`${faultLines(file, problems)}\n`);
        }
      }
    });
}
