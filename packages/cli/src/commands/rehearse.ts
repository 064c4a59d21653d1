import { copyFileSync, writeFileSync } from 'node:fs';
import {
  judgeRehearsal,
  mostRounds,
  prove,
  rehearsalFile,
  nothingTried,
  repair,
  repairInRounds,
  actionCountWords,
  resultWords,
  writeScript,
  type Captured,
  type Environment,
  type LoadedTake,
  type Rehearsal,
  type RehearsalResult,
  type Script,
} from '@sturdy/core';
import { CompileError, rehearse } from '@sturdy/engine';
import type { Command } from 'commander';
import { addPolicyOptions, policiesOf, type PolicyOptions } from '../policies.js';
import { BodyShelf, readEnvironmentFile, readScriptFile, readTake, withPinnedTargets, writeJson } from '../input-files.js';
import { addSecretsOption, secretsFrom, type SecretsOptions } from '../secrets.js';
import { UsageError } from '../usage-error.js';

interface Options extends PolicyOptions, SecretsOptions {
  environment: string;
  report: string;
  take?: string;
  second?: string;
  repair: boolean;
  twice: boolean;
  rounds: string;
}

type Played = Pick<Rehearsal, 'startedAt' | 'steps' | 'verdict' | 'divergence'> & { captured: Captured };

/** Exit status by what came of it. */
const statuses: Record<RehearsalResult, number> = { proven: 0, unproven: 4, drifted: 1, failed: 1 };

export function addRehearse(program: Command): void {
  const command = program
    .command('rehearse')
    .description('play a script once with one virtual user and judge every answer; this makes real records in the application')
    .argument('<script.yaml>', 'a script, as sturdy correlate writes it')
    .requiredOption('--environment <env.yaml>', 'where it is played (see: sturdy schema environment); only targets: is needed')
    .requiredOption('--report <report.json>', 'where verdicts and reasons are written (see: sturdy schema rehearsal)')
    .option('--take <take.har>', 'the recording that the answers are laid beside; without it only what the script expects is checked')
    .option(
      '--second <second.har>',
      'a second recording of the same flow: what differs between the two is no difference, and what moves is known',
    )
    .option('--repair', 'find out why it fails, change the script, and rehearse again until it passes twice in a row; needs --take', false)
    .option('--twice', 'rehearse a second time directly after the first; without it a pass is never proven', false)
    .option('--rounds <number>', 'rehearsals at most with --repair', String(mostRounds))
    .addHelpText(
      'after',
      `
Works without the server. Sends only to the targets that the environment names; one that is not this machine has to be cleared there.
With --repair the script file is written anew; what it was before is kept beside it as <script.yaml>.before.
Each rehearsal makes the records that a person would make; with --repair that are up to as many as --rounds says.
Exit status: 0 passed and proven, 4 passed but not proven (the lines say what could not be seen, and how to prove it),
1 failed or drifted, 2 it could not be run.
Example: sturdy rehearse script.yaml --environment env.yaml --report out.json --take take-1.har --second take-2.har --repair`,
    )
    .action(async (file: string, options: Options) => {
      const { script, files } = readScriptFile(file);
      const environment = await withPinnedTargets(readEnvironmentFile(options.environment, secretsFrom(options)), policiesOf(options));
      if (options.repair && options.take === undefined)
        throw new UsageError('--repair needs --take: the recording says what the answers should be.');
      const rounds = Number(options.rounds);
      if (!Number.isInteger(rounds) || rounds < 1 || rounds > 20) throw new UsageError('--rounds is a whole number from 1 to 20.');
      if (options.second !== undefined && options.take === undefined)
        throw new UsageError('--second needs --take: it is laid beside the first recording.');
      const take = options.take === undefined ? null : await readTake(options.take);
      const loaded = take?.loaded ?? noTake(script);
      const second = options.second === undefined ? null : (await readTake(options.second)).loaded;
      const readFile = (hash: string) => files.get(hash) ?? take?.shelf.bytes(hash);
      const most = options.repair ? rounds : options.twice ? 2 : 1;
      say(`At most ${most === 1 ? 'one rehearsal' : `${most} rehearsals`} of ${actionCountWords(script)}.`);
      const done = await repairInRounds<Played>(
        script,
        {
          rehearse: (current) => playAndJudge(current, environment, loaded, second, readFile),
          // Without --repair the script is played as it is, a second time too.
          repair: (current, rehearsal, proof, failed) =>
            Promise.resolve(options.repair ? repair(current, loaded, { rehearsal, proof }, second, failed) : nothingTried(current)),
          prove: (current, ...played) =>
            Promise.resolve(
              prove(
                current,
                loaded,
                second,
                played.map((rehearsal) => rehearsal.captured),
              ),
            ),
        },
        most,
      );
      const last = done.rounds.at(-1);
      // A single pass is looked over too, for what it leaves open.
      const proof =
        done.proof ?? (done.result === 'unproven' && last ? prove(done.script, loaded, second, [last.rehearsal.captured]) : null);
      const report = rehearsalFile(done.script, environment, done.rounds, done.result, proof);
      writeJson(options.report, report);
      if (options.repair && done.script !== script) {
        copyFileSync(file, `${file}.before`);
        writeFileSync(
          file,
          writeScript(done.script, new Map([...files].map(([hash, bytes]) => [hash, Buffer.from(bytes).toString('base64')]))),
        );
      }
      tell(report, options.repair);
      process.exitCode = statuses[done.result];
    });
  addPolicyOptions(command);
  addSecretsOption(command);
}

async function playAndJudge(
  script: Script,
  environment: Environment,
  loaded: LoadedTake,
  second: LoadedTake | null,
  readFile: (hash: string) => Uint8Array | undefined,
): Promise<Played> {
  const shelf = new BodyShelf();
  const startedAt = new Date().toISOString();
  const capture = await rehearse({ script, environment, random: Math.random, put: shelf.put, readFile }).catch((error: unknown) => {
    throw error instanceof CompileError ? new UsageError(error.message) : error;
  });
  const captured = { ...capture, readBody: shelf.text, failureSigns: environment.failureSigns };
  return { startedAt, ...judgeRehearsal(script, loaded, captured, second), captured };
}

/** Stands for the recording where there is none: nothing is compared with it. */
const noTake = (script: Script): LoadedTake => ({
  take: { id: '', projectId: 'file', name: script.name, startedAt: new Date(0).toISOString(), state: 'done', marks: [], harLog: null },
  exchanges: [],
  readBody: () => undefined,
});

const say = (line: string): void => {
  process.stdout.write(`${line}\n`);
};

function tell(report: ReturnType<typeof rehearsalFile>, repairing: boolean): void {
  report.rounds.forEach(({ rehearsal, repaired, tried }, index) => {
    const good = rehearsal.steps.filter((step) => step.verdict === 'passed').length;
    say(`${repairing ? `Round ${index + 1}: ` : ''}${rehearsal.verdict}, ${good} of ${rehearsal.steps.length} steps passed.`);
    for (const hypothesis of tried) say(`  tried: ${hypothesis.sentence} ${outcomeWords[hypothesis.outcome]}`);
    if (rehearsal.divergence) say(`  ${rehearsal.divergence.sentence}\n  ${rehearsal.divergence.advice}`);
    for (const handoff of repaired?.handoffs ?? []) say(`  added the handoff “${handoff.name}”: ${handoff.reason}`);
    for (const generatedValue of repaired?.made ?? []) say(`  let the client make “${generatedValue.name}”: ${generatedValue.reason}`);
    for (const change of [...(repaired?.eased ?? []), ...(repaired?.replaced ?? [])]) say(`  step ${change.step}: ${change.reason}`);
  });
  say(`Result: ${resultWords[report.result]}.`);
  for (const effect of [...(report.proof?.made ?? []), ...(report.proof?.changed ?? [])]) say(`  step ${effect.number} ${effect.what}`);
  for (const point of report.proof?.open ?? []) say(`  open: ${point.sentence} ${point.advice}`);
}

const outcomeWords = { helped: 'It helped.', kept: 'It is right, but was not all.', 'taken back': 'It did not help and was taken back.' };
