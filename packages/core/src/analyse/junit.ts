import { Document, serializeToWellFormedString, type Element } from 'slimdom';
import { failureKind } from '../failure/failure-reason.js';
import type { RunResult } from './run.schema.js';

/** Characters that XML 1.0 (2.2) has no place for; messages of a system under test may hold any. */
const notInXml = /(?![\t\n\r])\p{Cc}(?<![\u007f-\u009f])|[\ufffe\uffff]|\p{Cs}/gu;
const clean = (text: string): string => text.replace(notInXml, '\ufffd');

interface Case {
  name: string;
  sentence: string;
  good: boolean;
}

/**
 * The verdict of a run as JUnit XML, in the form that build servers read (common practice, no published standard): one suite of the criteria,
 * one of the signs of trust. Failures of steps are told with the criteria, by their codes: whether they are too many is for a criterion to say.
 */
export function junitOf(result: RunResult): string {
  const document = new Document();
  const root = document.createElement('testsuites');
  document.appendChild(root);
  const { run, criteria, hostCriteria, trust, seconds } = result;
  const judged = criteria.map(({ criterion, held, sentence }) => ({
    name: `${criterion.transaction ?? 'all transactions'}: ${criterion.measure} ≤ ${criterion.limit} ${criterion.measure === 'error-rate' ? '%' : 'ms'}`,
    sentence,
    good: held,
  }));
  const hosts = hostCriteria.map(({ limit: { host, figure, limit, forMinutes }, held, sentence }) => ({
    name: `${host === '' ? 'all hosts' : host}: ${figure} ≤ ${limit} on average in any ${forMinutes} min`,
    sentence,
    good: held,
  }));
  const stopped = run.stoppedByRule
    ? [{ name: 'no stop rule fired', sentence: run.note ?? 'A stop rule ended the run.', good: false }]
    : [];
  const criteriaSuite = suite(
    document,
    root,
    { name: `${run.workload.name}: criteria`, at: run.startedAt, seconds, kind: 'criterion missed' },
    [...judged, ...hosts, ...stopped],
  );
  if (result.failures.length > 0) {
    const said = document.createElement('system-out');
    const lines = result.failures.map(
      (failure) => `${failure.count} × ${failureKind(failure)} in ${failure.transaction}, first: ${failure.message}`,
    );
    said.appendChild(document.createTextNode(clean(lines.join('\n'))));
    criteriaSuite.appendChild(said);
  }
  suite(
    document,
    root,
    { name: `${run.workload.name}: trust`, at: run.startedAt, seconds, kind: 'not to be trusted' },
    trust.map(({ sentence, good }, at) => ({ name: `sign ${at + 1}`, sentence, good })),
  );
  return `<?xml version="1.0" encoding="UTF-8"?>\n${serializeToWellFormedString(document)}\n`;
}

function suite(
  document: Document,
  root: Element,
  { name, at, seconds, kind }: { name: string; at: string; seconds: number; kind: string },
  cases: readonly Case[],
): Element {
  const element = (parent: Element, tag: string, attributes: Record<string, string>): Element => {
    const made = document.createElement(tag);
    for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, clean(value));
    parent.appendChild(made);
    return made;
  };
  const failed = cases.filter((testCase) => !testCase.good).length;
  const suiteElement = element(root, 'testsuite', {
    name,
    tests: String(cases.length),
    failures: String(failed),
    errors: '0',
    skipped: '0',
    timestamp: at.replace(/\.\d+Z$/, ''),
    time: String(seconds),
  });
  for (const testCase of cases) {
    const test = element(suiteElement, 'testcase', { classname: name, name: testCase.name, time: String(seconds) });
    const outcomeElement = element(
      test,
      testCase.good ? 'system-out' : 'failure',
      testCase.good ? {} : { type: kind, message: testCase.sentence },
    );
    outcomeElement.appendChild(document.createTextNode(clean(testCase.sentence)));
  }
  return suiteElement;
}
