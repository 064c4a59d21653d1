import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@playwright/test';

const root = fileURLToPath(new URL('..', import.meta.url));
let folder: string;
let server: ChildProcess | undefined;
test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-package-'));
});
test.afterAll(() => {
  server?.kill('SIGTERM');
  rmSync(folder, { recursive: true, force: true });
});

function run(command: string, args: string[], cwd: string): string {
  const { status, stdout, stderr } = spawnSync(command, args, { cwd, encoding: 'utf8' });
  if (status !== 0) throw new Error(`${command} ${args.join(' ')}: ${stderr}`);
  return stdout;
}

test('the package runs from an empty folder, without the repository and without the registry', async ({ page }) => {
  test.setTimeout(300_000);
  const elsewhere = mkdtempSync(join(folder, 'elsewhere-'));
  await test.step('it is packed with all that it needs', () => {
    // The tests have built already.
    run('npm', ['pack', '--ignore-scripts', '--pack-destination', folder], root);
    const [name = ''] = readdirSync(folder).filter((file) => file.endsWith('.tgz'));
    const files = run('tar', ['tzf', join(folder, name)], folder).split('\n');
    // What lay under packages would not be found by the code that needs it.
    expect(files.filter((file) => file.startsWith('package/packages/'))).toEqual([]);
    expect(files.filter((file) => /\.spec\.|\.ts$/.test(file) && file.includes('@sturdy/'))).toEqual([]);
    expect(files).toEqual(
      expect.arrayContaining(['package/Containerfile', 'package/compose.yaml', 'package/README.md', 'package/LICENSE']),
    );
    writeFileSync(join(elsewhere, 'package.json'), '{}');
    run('npm', ['install', '--offline', '--no-audit', '--no-fund', join(folder, name)], elsewhere);
  });
  const sturdy = (...args: string[]): string => run('npx', ['--no-install', 'sturdy-puppet', ...args], elsewhere);
  await test.step('it says whether the machine has what it needs', () => {
    expect(sturdy('doctor', '--port', '0', '--proxy-port', '0')).toContain('Nothing that is needed is missing.');
  });
  let origin = '';
  await test.step('it serves the interface, with a whole project in it', async () => {
    const { PATH } = process.env;
    const child = spawn(process.execPath, ['node_modules/.bin/sturdy-puppet', 'serve', '--port', '0', '--proxy-port', '0'], {
      cwd: elsewhere,
      env: { PATH },
    });
    server = child;
    origin = await new Promise<string>((done, failed) => {
      let said = '';
      const hear = (piece: Buffer): void => {
        said += piece.toString();
        const ready = /is ready: (\S+)/.exec(said)?.[1];
        if (ready !== undefined) done(ready);
      };
      child.stdout.on('data', hear);
      child.stderr.on('data', hear);
      child.on('exit', () => {
        failed(new Error(`The server ended: ${said}`));
      });
    });
    expect(sturdy('project', 'import', join(root, 'demo', 'tidewell.zip'), '--server', origin)).toContain(
      '“Tidewell release 4.2” was imported',
    );
    await page.goto(`${origin}/projects`);
    await page.getByRole('link', { name: 'Tidewell release 4.2' }).click();
    await page.getByRole('link', { name: 'Runs' }).click();
    await expect(page.getByRole('row', { name: /Thursday/ }).first()).toBeVisible();
  });
  await test.step('it is backed up while it runs, and the backup opens in another folder', () => {
    sturdy('backup', 'kept.tar.gz', '--server', origin);
    expect(sturdy('restore', 'kept.tar.gz', '--data', 'again')).toContain('sturdy serve --data again');
  });
});
