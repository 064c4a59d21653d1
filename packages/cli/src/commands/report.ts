import { readFileSync, writeFileSync } from 'node:fs';
import { extname } from 'node:path';
import { userInfo } from 'node:os';
import {
  BriefFileSchema,
  dayText,
  emptyBrief,
  junitOf,
  plainTemplate,
  reportDocument,
  ReportFileSchema,
  RunFileSchema,
  type Brief,
  type ReportTemplate,
  type RunFile,
} from '@sturdy/core';
import { documentEndings, drawChart, writeDocument, type DocumentFormat } from '@sturdy/server/documents';
import type { Command } from 'commander';
import { mustExist, readYamlFile } from '../input-files.js';
import { UsageError } from '../usage-error.js';

interface Options {
  out: string;
  template?: string;
  brief?: string;
  project: string;
}

const endings = [...documentEndings, 'xml'];

export function addReport(program: Command): void {
  program
    .command('report')
    .description('write a report of a run that was played before; nothing is sent anywhere')
    .argument('<result.json>', 'the figures of the run, as sturdy run and the page of a run write them (see: sturdy schema run)')
    .requiredOption('--out <file>', `the report; its ending says the format: ${endings.join(', ')}`)
    .option('--template <template.yaml>', 'what it holds, in which order, with which words (see: sturdy schema report)')
    .option('--brief <brief.yaml>', 'what was agreed (see: sturdy schema brief)')
    .option('--project <name>', 'name of the project', 'Command line')
    .addHelpText(
      'after',
      `
Exit status: 0 it was written, 2 it could not be.
Example: sturdy report results/result.json --template for-business.yaml --out verdict.pdf`,
    )
    .action(async (file: string, options: Options) => {
      mustExist(file, 'The file');
      const ending = extname(options.out).slice(1).toLowerCase();
      if (!endings.includes(ending))
        throw new UsageError(`The ending of ${options.out} names no format. Use one of: ${endings.join(', ')}.`);
      const run = readRun(file);
      if (ending === 'xml') {
        writeFileSync(options.out, junitOf(run.result));
        return;
      }
      const template: ReportTemplate =
        options.template === undefined ? plainTemplate : readYamlFile(options.template, 'The template', ReportFileSchema);
      const brief: Brief = options.brief === undefined ? emptyBrief : readYamlFile(options.brief, 'The brief', BriefFileSchema);
      const document = reportDocument(template, {
        project: options.project,
        result: run.result,
        lanes: run.lanes,
        findings: run.findings,
        hosts: [],
        scripts: [],
        baseline: null,
        comparison: null,
        trend: null,
        brief,
        day: dayText(new Date()),
        by: userInfo().username,
        draw: drawChart,
      });
      writeFileSync(options.out, await writeDocument(document, ending as DocumentFormat));
      process.stdout.write(`${options.out} was written: ${document.title}\n`);
    });
}

function readRun(file: string): RunFile {
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(file, 'utf8'));
  } catch (error) {
    throw new UsageError(`${file} is no JSON: ${error instanceof Error ? error.message : String(error)}`);
  }
  const read = RunFileSchema.safeParse(value);
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  throw new UsageError(
    `${file} is not the result of a run: ${issue?.path.join('.') ?? ''}: ${issue?.message ?? ''}. Give the result.json that sturdy run wrote.`,
  );
}
