import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { lanesOf, runFile, runResult } from '@sturdy/core';
import { simulate } from '../../core/src/test/closed-system.js';

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-report-'));
  const { run, frames, scripts } = simulate({
    workers: 2,
    serviceSeconds: 0.04,
    thinkSeconds: 0.3,
    users: 8,
    curve: { kind: 'ramp', together: 1, rampUpSeconds: 5, holdSeconds: 60, rampDownSeconds: 0, atEnd: 'iteration' },
    seed: 'a',
  });
  const result = runResult(run, frames, scripts);
  const sentence = 'Service turns at about 17 users.';
  const finding = { id: 'f', kind: 'turning-point' as const, severity: 'grave' as const, sentence, explanation: 'It waits.' };
  const findings = [{ ...finding, fromSecond: null, toSecond: null, series: [], chart: null }];
  writeFileSync(join(folder, 'result.json'), JSON.stringify(runFile(result, lanesOf(frames), findings)));
});
afterAll(() => {
  rmSync(folder, { recursive: true });
});

const report = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [resolve('packages/cli/bin/sturdy.mjs'), 'report', ...args], {
    cwd: folder,
    encoding: 'utf8',
  });
  return { status, text: stdout + stderr };
};

describe('sturdy report', () => {
  it.each([
    ['pdf', '%PDF-'],
    ['docx', 'PK'],
    ['xlsx', 'PK'],
    ['md', '# Simulated'],
    ['xml', '<?xml'],
  ])('writes a run as %s', (ending, begins) => {
    expect(report('result.json', '--out', `verdict.${ending}`)).toMatchObject({ status: 0 });
    expect(
      readFileSync(join(folder, `verdict.${ending}`))
        .subarray(0, begins.length)
        .toString(),
    ).toBe(begins);
  });

  it('takes template and brief from files, with figures that live in words', () => {
    writeFileSync(
      join(folder, 'template.yaml'),
      'title: For business\nsections:\n  - kind: text\n    title: Our view\n    text: "Seen: ~{users} users."\n  - kind: findings\n  - kind: brief\n',
    );
    writeFileSync(join(folder, 'brief.yaml'), 'aims: Hold the peak.\n');
    expect(report('result.json', '--template', 'template.yaml', '--brief', 'brief.yaml', '--out', 'own.html').status).toBe(0);
    const html = readFileSync(join(folder, 'own.html'), 'utf8');
    for (const text of ['For business', 'Our view', 'Seen: 8 users.', 'Service turns at about 17 users.', 'Hold the peak.'])
      expect(html).toContain(text);
    expect(html).not.toContain('Transactions over the hold');
  });

  it.each([
    ['a format that is none', ['result.json', '--out', 'verdict.odt'], /names no format\. Use one of: pdf, docx/],
    ['a file that is no run', ['template.yaml', '--out', 'x.pdf'], /template\.yaml is no JSON/],
    ['a file that is not there', ['nowhere.json', '--out', 'x.pdf'], /nowhere\.json/],
    ['a template with a fault', ['result.json', '--template', 'bad.yaml', '--out', 'x.pdf'], /bad\.yaml:2:/],
  ])('refuses %s, and says what is wrong', (_, args, wrong) => {
    writeFileSync(join(folder, 'bad.yaml'), 'sections:\n  - kind: weather\n');
    const { status, text } = report(...args);
    expect(status).toBe(2);
    expect(text).toMatch(wrong);
    expect(existsSync(join(folder, 'x.pdf'))).toBe(false);
  });
});
