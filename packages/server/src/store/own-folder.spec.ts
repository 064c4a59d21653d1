import { execFileSync } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { emptyDatabaseFile, migrationsFolder, storeWorkerFile } from '../shipped/files.js';
import { ownEverythingIn, ownFolder } from './own-folder.js';
import { openStore } from './store-client.js';

const root = mkdtempSync(join(tmpdir(), 'sturdy-own-'));
afterAll(() => {
  rmSync(root, { recursive: true, force: true });
});
const modeOf = (path: string) => (statSync(path).mode & 0o777).toString(8);
const all = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((dirent) => {
    const path = join(folder, dirent.name);
    return dirent.isDirectory() ? [path, ...all(path)] : [path];
  });

describe('the folder of the data', () => {
  it('is its owner’s alone, made by us or by somebody before, and no link is followed', () => {
    const before = join(root, 'before');
    mkdirSync(before);
    chmodSync(before, 0o777);
    ownFolder(before);
    expect(modeOf(before)).toBe('700');
    const outside = join(root, 'outside');
    writeFileSync(outside, 'x');
    chmodSync(outside, 0o644);
    symlinkSync(outside, join(before, 'link'));
    mkdirSync(join(before, 'deep'));
    writeFileSync(join(before, 'deep', 'file'), 'x');
    chmodSync(join(before, 'deep', 'file'), 0o666);
    ownEverythingIn(before);
    expect([modeOf(join(before, 'deep')), modeOf(join(before, 'deep', 'file')), modeOf(outside)]).toEqual(['700', '600', '644']);
  });

  it('can be read by no other user of this machine, whatever the umask (tried as another one, where that is allowed)', async () => {
    const directory = join(root, 'data');
    const umask = process.umask(0);
    const store = await openStore(
      { directory },
      {
        worker: storeWorkerFile,
        migrations: migrationsFolder,
        emptyDatabase: emptyDatabaseFile,
        secretsFolder: join(directory, 'secrets'),
      },
    );
    await store.close();
    process.umask(umask);
    const open = all(directory).filter((path) => (statSync(path).mode & 0o077) !== 0);
    expect([modeOf(directory), open]).toEqual(['700', []]);
    chmodSync(root, 0o755);
    if (process.getuid?.() !== 0) return;
    const asNobody =
      (...command: string[]) =>
      () =>
        execFileSync('setpriv', ['--reuid=65534', '--regid=65534', '--clear-groups', ...command], { stdio: 'pipe' });
    expect(asNobody('ls', root)().toString()).toContain('data');
    expect(asNobody('ls', directory)).toThrow(/Permission denied/);
    expect(asNobody('cat', join(directory, 'pg', 'PG_VERSION'))).toThrow(/Permission denied/);
  }, 60_000);
});
