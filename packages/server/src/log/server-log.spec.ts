import { mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { KnownSecrets } from '@sturdy/core';
import { ServerLog } from './server-log.js';

describe('The log of the server', () => {
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-log-'));
  let terminal: jest.SpyInstance;
  beforeEach(() => {
    terminal = jest.spyOn(process.stderr, 'write').mockReturnValue(true);
  });
  afterEach(() => {
    terminal.mockRestore();
  });
  afterAll(() => {
    rmSync(folder, { recursive: true, force: true });
  });

  it('is lines of JSON for its owner alone, without secrets; warnings are told and remembered too', async () => {
    const log = new ServerLog(join(folder, 'log'));
    log.mask(new KnownSecrets(['quince-7781']));
    log.info('PUT /projects', { by: 'kim quince-7781', status: 200 });
    log.warn('refused: quince-7781');
    log.error('fault 1');
    await log.close();
    const file = log.file ?? '';
    const lines = readFileSync(file, 'utf8').trim().split('\n');
    expect(lines.map((line) => JSON.parse(line) as unknown)).toEqual([
      expect.objectContaining({
        level: 'info',
        what: 'PUT /projects',
        by: 'kim ••••••••',
        status: 200,
        time: expect.stringMatching(/^2\d{3}-.*Z$/) as string,
      }),
      expect.objectContaining({ level: 'warn', what: 'refused: ••••••••' }),
      expect.objectContaining({ level: 'error', what: 'fault 1' }),
    ]);
    expect(statSync(file).mode & 0o077).toBe(0);
    expect(log.recent.map((entry) => [entry.level, entry.what])).toEqual([
      ['error', 'fault 1'],
      ['warn', 'refused: ••••••••'],
    ]);
    const written = terminal.mock.calls.map(([text]) => String(text)).join('');
    expect(written).toContain('refused: ••••••••');
    expect(written).not.toMatch(/quince|PUT/);
  });

  it('leaves out what is less than its level, in its files and on the terminal', async () => {
    const log = new ServerLog(join(folder, 'errors'), 'error');
    log.info('PUT /projects');
    log.warn('refused');
    log.error('fault 2');
    await log.close();
    const lines = readFileSync(log.file ?? '', 'utf8')
      .trim()
      .split('\n');
    expect(lines.map((line) => (JSON.parse(line) as { what: string }).what)).toEqual(['fault 2']);
    expect(terminal.mock.calls.map(([text]) => String(text)).join('')).not.toContain('refused');
  });

  it('masks the secrets of all projects, and of each those that it has now', () => {
    const log = new ServerLog(null);
    log.mask(new KnownSecrets(['quince-7781']), 'p1');
    log.mask(new KnownSecrets(['medlar-5512']), 'p2');
    log.mask(new KnownSecrets(['damson-1207']), 'p2');
    log.warn('quince-7781 medlar-5512', { of: 'damson-1207' });
    const [line] = terminal.mock.calls.map(([text]) => String(text));
    expect(line).toContain('•••••••• medlar-5512; of ••••••••');
  });

  it('writes to the terminal where it has no folder', () => {
    const log = new ServerLog(null);
    log.warn('no folder', { of: 'mine' });
    expect(log.file).toBeNull();
    expect(terminal.mock.calls.map(([text]) => String(text)).join('')).toMatch(/^2\d{3}-.* no folder; of mine\n$/);
  });
});
