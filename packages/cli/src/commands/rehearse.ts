import { copyFileSync, writeFileSync } from 'node:fs';
import {
  judgeRehearsal,
  rehearsalFile,
  repair,
  repairInRounds,
  writeScript,
  type Environment,
  type LoadedTake,
  type Rehearsal,
  type Script,
} from '@sturdy/core';
import { CompileError, rehearse } from '@sturdy/engine';
import type { Command } from 'commander';
import { BodyShelf, readEnvironmentFile, readScriptFile, readTake, writeJson } from '../input-files.js';
import { UsageError } from '../usage-error.js';

interface Options {
  environment: string;
  report: string;
  take?: string;
  repair: boolean;
  rounds: string;
}

type Played = Pick<Rehearsal, 'startedAt' | 'steps' | 'verdict' | 'divergence'>;

export function addRehearse(program: Command): void {
  program
    .command('rehearse')
    .description('play a script once with one virtual user and judge every answer; this makes real records in the application')
    .argument('<script.yaml>', 'a script, as sturdy correlate writes it')
    .requiredOption('--environment <env.yaml>', 'where it is played (see: sturdy schema environment); only targets: is needed')
    .requiredOption('--report <report.json>', 'where verdicts and reasons are written (see: sturdy schema rehearsal)')
    .option('--take <take.har>', 'the recording that the answers are laid beside; without it only what the script expects is checked')
    .option('--repair', 'add the handoffs that the rehearsal proves missing, and rehearse again; needs --take', false)
    .option('--rounds <number>', 'rehearsals at most with --repair', '4')
    .addHelpText(
      'after',
      `
Works without the server. Sends only to the targets that the environment names, and only to this machine.
With --repair the script file is written anew; what it was before is kept beside it as <script.yaml>.before.
Exit status: 0 passed, 1 failed or drifted, 2 it could not be run.
Example: sturdy rehearse script.yaml --environment env.yaml --report out.json --take take-1.har --repair`,
    )
    .action(async (file: string, options: Options) => {
      const { script, files } = readScriptFile(file);
      const environment = readEnvironmentFile(options.environment);
      if (options.repair && options.take === undefined)
        throw new UsageError('--repair needs --take: the recording says what the answers should be.');
      const rounds = Number(options.rounds);
      if (!Number.isInteger(rounds) || rounds < 1 || rounds > 20) throw new UsageError('--rounds is a whole number from 1 to 20.');
      const take = options.take === undefined ? null : await readTake(options.take);
      const loaded = take?.loaded ?? noTake(script);
      const readFile = (hash: string) => files.get(hash) ?? take?.shelf.bytes(hash);
      const done = await repairInRounds<Played>(
        script,
        {
          rehearse: (current) => playAndJudge(current, environment, loaded, readFile),
          repair: (current, rehearsal) => Promise.resolve(repair(current, loaded, rehearsal)),
        },
        options.repair ? rounds : 1,
      );
      const kept = options.repair ? done.rounds : done.rounds.map((one) => ({ ...one, report: null }));
      const report = rehearsalFile(done.script, environment, kept);
      writeJson(options.report, report);
      if (options.repair && done.script !== script) {
        copyFileSync(file, `${file}.before`);
        writeFileSync(
          file,
          writeScript(done.script, new Map([...files].map(([hash, bytes]) => [hash, Buffer.from(bytes).toString('base64')]))),
        );
      }
      tell(report, options.repair);
      process.exitCode = report.verdict === 'passed' ? 0 : 1;
    });
}

async function playAndJudge(
  script: Script,
  environment: Environment,
  loaded: LoadedTake,
  readFile: (hash: string) => Uint8Array | undefined,
): Promise<Played> {
  const shelf = new BodyShelf();
  const startedAt = new Date().toISOString();
  const capture = await rehearse({ script, environment, random: Math.random, put: shelf.put, readFile }).catch((error: unknown) => {
    throw error instanceof CompileError ? new UsageError(error.message) : error;
  });
  return { startedAt, ...judgeRehearsal(script, loaded, { ...capture, readBody: shelf.text, failureSigns: environment.failureSigns }) };
}

/** Stands for the recording where there is none: nothing is compared with it. */
const noTake = (script: Script): LoadedTake => ({
  take: { id: '', projectId: 'file', name: script.name, startedAt: new Date(0).toISOString(), state: 'done', marks: [], harLog: null },
  exchanges: [],
  readBody: () => undefined,
});

function tell(report: ReturnType<typeof rehearsalFile>, repairing: boolean): void {
  const say = (line: string) => process.stdout.write(`${line}\n`);
  report.rounds.forEach(({ rehearsal, repaired }, index) => {
    const good = rehearsal.steps.filter((one) => one.verdict === 'passed').length;
    say(`${repairing ? `Round ${index + 1}: ` : ''}${rehearsal.verdict}, ${good} of ${rehearsal.steps.length} steps passed.`);
    if (rehearsal.divergence) say(`  ${rehearsal.divergence.sentence}\n  ${rehearsal.divergence.advice}`);
    for (const one of repaired?.handoffs ?? []) say(`  added the handoff “${one.name}”: ${one.reason}`);
    for (const one of repaired?.made ?? []) say(`  let the client make “${one.name}”: ${one.reason}`);
    for (const one of repaired?.eased ?? []) say(`  step ${one.step}: ${one.reason}`);
  });
}
