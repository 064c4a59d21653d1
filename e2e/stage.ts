import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { spawn, type ChildProcess } from 'node:child_process';
import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';
import type { Take } from '@sturdy/core';
import { checkDigit, playYardRobot, startYard, type Yard } from '../packages/standins/src/index.js';

/** Several files are tested at the same time; each has ports of its own. */
export const productPort = 4390 + 10 * Number(process.env['TEST_PARALLEL_INDEX'] ?? 0);
export const product = `http://127.0.0.1:${productPort}`;

/** A running product on data of its own, with Yard beside it. */
export interface Stage {
  yard: Yard;
  data: string;
  /** Ends the product the hard way, as a crash would. */
  kill: () => Promise<void>;
  /** Starts the product again on the same data. */
  restart: () => Promise<void>;
  close: () => Promise<void>;
}

function startProduct(data: string, target: string, options: readonly string[]): Promise<ChildProcess> {
  const program = spawn(
    process.execPath,
    [
      'packages/cli/bin/sturdy.mjs',
      'serve',
      '--port',
      String(productPort),
      '--proxy-port',
      String(productPort + 1),
      '--data',
      data,
      '--project',
      'Tidewell release 4.2',
      '--target',
      target,
      ...options,
    ],
    { stdio: ['ignore', 'pipe', 'pipe'] },
  );
  let said = '';
  return new Promise((done, failed) => {
    const read = (chunk: Buffer) => {
      said += chunk.toString();
      if (said.includes('is ready')) done(program);
    };
    program.stdout.on('data', read);
    program.stderr.on('data', read);
    program.on('exit', () => failed(new Error(said)));
  });
}

/** Opens a stage; `options` are further ones of the command that starts the product. */
export async function openStage(...options: string[]): Promise<Stage> {
  const yard = await startYard({ port: 0 });
  const data = mkdtempSync(join(tmpdir(), 'sturdy-e2e-'));
  let program = await startProduct(data, yard.origin, options);
  const ended = () => new Promise((done) => program.once('exit', done));
  return {
    yard,
    data,
    kill: async () => {
      const gone = ended();
      program.kill('SIGKILL');
      await gone;
    },
    restart: async () => {
      program = await startProduct(data, yard.origin, options);
    },
    close: async () => {
      if (program.exitCode === null && program.signalCode === null) {
        const gone = ended();
        program.kill('SIGTERM');
        await gone;
      }
      await yard.stop();
      rmSync(data, { recursive: true, force: true });
    },
  };
}

/** A container number after ISO 6346 with its check digit. */
export function container(serial: number): string {
  const firstTen = `TWCU${String(serial).padStart(6, '0')}`;
  return firstTen + String(checkDigit(firstTen));
}

/** Uploads bytes to the product's API; says what it answered, good or bad. */
export const upload = async (path: string, body: string | Buffer) => {
  // While a large body was made, the product may have closed the idle connection of an earlier call; that is noticed before it is used again.
  await new Promise((done) => setTimeout(done, 20));
  const answer = await fetch(`${product}/api${path}`, {
    method: 'POST',
    body: new Uint8Array(Buffer.from(body)),
    headers: { 'Content-Type': 'application/octet-stream' },
  });
  return {
    status: answer.status,
    type: answer.headers.get('content-type') ?? '',
    body: (await answer.json()) as { detail?: string; problems?: { entry: number; text: string }[]; exchangeCount?: number },
  };
};

/** Asks the product's API. */
export async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  const answer = await fetch(`${product}/api${path}`, {
    method,
    headers: { 'Content-Type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const result = (await answer.json()) as T & { detail?: string };
  if (!answer.ok) throw new Error(result.detail ?? String(answer.status));
  return result;
}

/** No accessibility rule of WCAG 2.2 A and AA may be broken, in the light theme and in the dark one. */
export async function looksRight(page: Page, name: string): Promise<void> {
  for (const theme of ['light', 'dark']) {
    await page.evaluate((wanted) => {
      document.documentElement.setAttribute('data-bs-theme', wanted);
    }, theme);
    // What the checker reports is put together in the page itself; a second page for that would take as long again.
    const checker = () => new AxeBuilder({ page }).setLegacyMode();
    const all = checker().withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']);
    // The dark theme differs in its colours alone.
    const found = await (theme === 'light' ? all : checker().withRules(['color-contrast'])).analyze();
    const violations = found.violations.map(
      (violation) =>
        `${violation.id}: ${violation.nodes
          .map((node) => `${node.target.join(' ')} ${node.any[0]?.message ?? ''}`)
          .slice(0, 3)
          .join(' | ')}`,
    );
    expect.soft(violations, `${name}, ${theme}`).toEqual([]);
  }
  await page.evaluate(() => {
    document.documentElement.setAttribute('data-bs-theme', 'light');
  });
}

/** Writes the picture of a main view where the run is asked to (SHOTS=1). */
export async function picture(page: Page, name: string): Promise<void> {
  if (process.env['SHOTS']) await page.screenshot({ path: `docs/screenshots/${name}.png` });
}

/** Records takes of Yard by robot, one for each of the given plays, with its transactions marked where wanted; gives their ids. */
export async function recordTakes(
  stage: Stage,
  plays: readonly Omit<Parameters<typeof playYardRobot>[0], 'origin' | 'proxy'>[],
  marked: boolean,
): Promise<string[]> {
  for (const [index, play] of plays.entries()) {
    const { proxy } = await ask<{ proxy: string }>('POST', '/projects/p1/takes/record', { name: `Take ${index + 1}` });
    await playYardRobot({
      ...play,
      origin: stage.yard.origin,
      proxy,
      mark: async (kind, text) => {
        if (marked) await ask('POST', '/takes/record/marks', { kind, text });
      },
    });
    await ask('POST', '/takes/record/stop');
  }
  const takes = await ask<Take[]>('GET', '/projects/p1/takes');
  return plays.map((_, index) => takes.find((take) => take.name === `Take ${index + 1}`)?.id ?? '');
}
