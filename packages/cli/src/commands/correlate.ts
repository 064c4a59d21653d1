import { randomUUID } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import {
  correlationFile,
  everything,
  filesOf,
  keepable,
  keeping,
  leftOutOf,
  patternsOf,
  requestSteps,
  scriptFromTake,
  surveyTake,
  writeScript,
  type Keepable,
  signInsInAddresses,
} from '@sturdy/core';
import { correlateInThreads } from '@sturdy/server/correlate';
import { InvalidArgumentError, type Command } from 'commander';
import { readPatternFile, readTake, writeJson } from '../input-files.js';
import { UsageError } from '../usage-error.js';

interface Options {
  out: string;
  report?: string;
  name?: string;
  patterns?: string;
  everything: boolean;
  keep: Keepable[];
}

function keepableKinds(text: string): Keepable[] {
  return text.split(',').map((entry) => {
    const kind = keepable.find((known) => known === entry.trim());
    if (!kind) throw new InvalidArgumentError(`Name some of ${keepable.join(', ')}, with commas between them.`);
    return kind;
  });
}

export function addCorrelate(program: Command): void {
  program
    .command('correlate')
    .description('make a script of a HAR file and hand off the values that the server makes')
    .argument('<take.har>', 'the recording: HAR 1.2, with the bodies of the answers')
    .argument('[second.har]', 'a second recording of the same flow: what differs between the two is proven to move')
    .requiredOption('--out <script.yaml>', 'where the script is written')
    .option('--report <report.json>', 'where every decision is written with its reason (see: sturdy schema correlation)')
    .option('--name <name>', 'name of the script; that of the file by default')
    .option(
      '--patterns <patterns.yaml>',
      'handoff patterns of your own, as the product exports them; one with the id of a shipped pattern stands for it (see: sturdy schema patterns)',
    )
    .option('--everything', 'leave nothing out and put nothing together: static files, telemetry, redirects as steps of their own', false)
    .option('--keep <kinds>', `keep what would be left out: ${keepable.join(', ')}, with commas between them`, keepableKinds, [])
    .addHelpText(
      'after',
      `
Works without the server. Nothing is sent anywhere. What is left out is printed, with the option that keeps it.
Exit status: 0 the script was written, 2 it could not be made.
Example: sturdy correlate take-1.har take-2.har --out script.yaml --report correlation.json`,
    )
    .action(async (file: string, secondFile: string | undefined, options: Options) => {
      const first = await readTake(file);
      const second = secondFile === undefined ? null : await readTake(secondFile);
      const patterns = patternsOf(options.patterns === undefined ? [] : readPatternFile(options.patterns));
      const survey = surveyTake(first.loaded);
      const tidy = options.everything ? everything : keeping(survey, options.keep);
      const raw = scriptFromTake(first.loaded, {
        scriptId: randomUUID(),
        name: options.name ?? first.loaded.take.name,
        tidy,
        transactions: survey.transactions,
      });
      if (requestSteps(raw).length === 0)
        throw new UsageError(`${file} holds no request of an application. With --everything nothing is left out.`);
      const { script } = await correlateInThreads(raw, first.loaded, second?.loaded ?? null, patterns);
      const files = new Map([...filesOf(script)].map((hash) => [hash, Buffer.from(first.shelf.bytes(hash) ?? []).toString('base64')]));
      writeFileSync(options.out, writeScript(script, files));
      const report = correlationFile(script, {
        takes: [first, ...(second ? [second] : [])].map((takeFile) => ({
          file: takeFile.file,
          exchanges: takeFile.loaded.exchanges.length,
          problems: takeFile.problems,
        })),
        findings: survey.findings.map((finding) => finding.sentence),
      });
      if (options.report !== undefined) writeJson(options.report, report);
      const say = (line: string) => process.stdout.write(`${line}\n`);
      for (const out of options.everything ? [] : leftOutOf(survey, tidy)) say(`${out.sentence} (--keep ${out.keep})`);
      for (const handoff of report.handoffs)
        say(
          `handoff “${handoff.name}” (${handoff.evidence}): step ${handoff.origins.map(({ number }) => number).join(', ')} → ${handoff.uses.length} uses. ${handoff.reason}`,
        );
      for (const generatedValue of report.made)
        say(`client-made “${generatedValue.name}” (${generatedValue.made}). ${generatedValue.reason}`);
      for (const { origin, user } of signInsInAddresses(first.loaded.exchanges))
        say(
          `The take names “${user}” in addresses of ${origin}; the script sends that user by HTTP Basic. To sign in as another one, write in env.yaml: credentials: [{ kind: basic, origin: ${origin}, user: …, password: … }]`,
        );
      for (const unsureValue of report.unsure) say(`unsure: step ${unsureValue.step.number}, ${unsureValue.place}. ${unsureValue.reason}`);
      say(
        `${report.steps} steps, ${report.handoffs.length} handoffs, ${report.made.length} client-made values, ${report.unsure.length} unsure. Written to ${options.out}.`,
      );
    });
}
