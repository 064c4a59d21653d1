import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { scriptFromTake } from '../../script-from-take/from-take.js';
import { requestSteps } from '../../script/script.schema.js';
import { sentValues } from '../../actions/sent-parts.js';
import type { LoadedTake } from '../../take/take.schema.js';
import { surveyTake } from '../../tidy/survey.js';
import { exportHar, importHar } from './har.js';

/**
 * Sign-ins to Tidewell Yard as others wrote them: the developer tools of Chromium 156 (their own writer, with content), those
 * of Firefox 153 (their automatic export), and a browser automation (Playwright 1.65).
 */
function read(name: string) {
  const file: unknown = JSON.parse(readFileSync(join(__dirname, 'fixtures', `${name}.har`), 'utf8'));
  const bodies = new Map<string, Uint8Array>();
  const imported = importHar(file, {
    put: (bytes, mimeType) => {
      const hash = createHash('sha256').update(bytes).digest('hex');
      bodies.set(hash, bytes);
      return { hash, size: bytes.length, mimeType };
    },
  });
  const loaded: LoadedTake = {
    take: { id: 't', projectId: 'p', name, startedAt: imported.startedAt, state: 'done', marks: imported.marks, harLog: imported.harLog },
    exchanges: imported.exchanges,
    readBody: (hash) => {
      const bytes = bodies.get(hash);
      return bytes && Buffer.from(bytes).toString('utf8');
    },
  };
  return { file, imported, loaded, bodies };
}

describe.each([
  ['chromium', 3],
  ['firefox', 3],
  ['automation', 7],
])('a HAR written by %s', (name, count) => {
  const { file, imported, loaded, bodies } = read(name);

  it('comes in whole: times in order, phases, bodies, and the form that was posted', () => {
    expect(imported.exchanges.length).toBe(count);
    expect(imported.exchanges.every((exchange, at) => exchange.startedAtMs >= (imported.exchanges[at - 1]?.startedAtMs ?? 0))).toBe(true);
    const post = imported.exchanges.find((exchange) => exchange.method === 'POST');
    expect(post?.response?.status).toBe(303);
    expect(loaded.readBody(post?.requestBody?.hash ?? '')).toMatch(/^formKey=[\w-]{24}&user=\w+&password=\w+-pass$/);
    const desk = imported.exchanges.find((exchange) => exchange.url.includes('/desk/'));
    expect(loaded.readBody(desk?.response?.body?.hash ?? '')).toContain('<h1>Desk of');
    expect(Object.values(desk?.timings ?? {}).every((ms) => ms >= -1)).toBe(true);
  });

  it('becomes a script whose sign-in follows its redirect, with the values that were sent', () => {
    const script = scriptFromTake(loaded, { scriptId: 's', name: 'S', tidy: surveyTake(loaded).proposal });
    const step = requestSteps(script).find((numberedStep) => numberedStep.step.method === 'POST')?.step;
    expect(step).toMatchObject({ followRedirects: true, expect: { title: 'Desk - Tidewell Yard' } });
    expect(step && sentValues(step).map((value) => value.name)).toEqual(expect.arrayContaining(['formKey', 'user', 'password']));
  });

  it('goes out again as it came', () => {
    const exported = exportHar(loaded.take, loaded.exchanges, (hash) => bodies.get(hash)) as { log: { entries: unknown[] } };
    const { entries } = (file as { log: { entries: { request: { url: string } }[] } }).log;
    expect(exported.log.entries).toEqual(entries.filter((entry) => entry.request.url.startsWith('http')));
  });
});

describe('what browsers took from their cache', () => {
  it.each(['chromium', 'firefox'])('is seen in a HAR of %s', (name) => {
    const cached = surveyTake(read(name).loaded).findings.find((finding) => finding.kind === 'cached');
    expect(cached?.sentence).toContain('one answer came from it');
  });

  it('is listed where an entry never left the browser', () => {
    expect(read('firefox').imported.problems).toMatchObject([{ text: 'request.url “data:,” never left the browser' }]);
  });
});
