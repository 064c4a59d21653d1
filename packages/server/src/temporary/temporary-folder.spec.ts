import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { clearLeftFolders, inTemporaryFolder, makeTemporaryFolder } from './temporary-folder.js';

it('has a folder only as long as it is used, also where that fails', async () => {
  const seen: string[] = [];
  const use = (folder: string) => {
    seen.push(folder);
    writeFileSync(join(folder, 'upload'), 'x');
    return Promise.resolve('done');
  };
  expect(await inTemporaryFolder(use)).toBe('done');
  await expect(inTemporaryFolder((folder) => use(folder).then(() => Promise.reject(new Error('broken off'))))).rejects.toThrow(
    'broken off',
  );
  expect(seen.map((folder) => existsSync(folder))).toEqual([false, false]);
});

it('clears away what processes that live no more have left, and only that', async () => {
  // Numbers of processes end at 4,194,304 (proc(5), pid_max).
  const left = mkdtempSync(join(tmpdir(), 'sturdy-upload-9999999-'));
  const kept = await makeTemporaryFolder();
  await clearLeftFolders();
  expect([left, kept].map((folder) => existsSync(folder))).toEqual([false, true]);
  rmSync(kept, { recursive: true });
});
