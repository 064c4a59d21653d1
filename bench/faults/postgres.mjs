// A PostgreSQL server of its own (Debian's), on a free port with data in a temporary folder.
import { execFileSync, spawn } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const programs = '/usr/lib/postgresql/15/bin';

async function freePort() {
  const server = createServer();
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address();
  await new Promise((done) => server.close(done));
  return port;
}

/** Starts the server; the address, a restart as an administrator does it, and its end. */
export async function startPostgres() {
  const port = await freePort();
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-pg-'));
  chmodSync(folder, 0o777);
  // The server refuses to run as root.
  const command = (program, args) =>
    process.getuid() === 0 ? ['runuser', ['-u', 'postgres', '--', `${programs}/${program}`, ...args]] : [`${programs}/${program}`, args];
  const run = (program, args) => execFileSync(...command(program, args), { stdio: 'ignore', cwd: folder });
  run('initdb', ['-D', `${folder}/db`, '-A', 'trust', '-U', 'sturdy', '--no-sync']);
  const server = spawn(...command('postgres', ['-D', `${folder}/db`, '-p', String(port), '-k', folder, '-F']), {
    stdio: ['ignore', 'ignore', 'pipe'],
    cwd: folder,
  });
  await new Promise((done) => server.stderr.on('data', (said) => String(said).includes('ready to accept') && done()));
  return {
    url: `postgres://sturdy@127.0.0.1:${port}/postgres`,
    restart: () => run('pg_ctl', ['-D', `${folder}/db`, 'restart', '-m', 'fast', '-w', '-l', `${folder}/db/log`]),
    stop: () => {
      run('pg_ctl', ['-D', `${folder}/db`, 'stop', '-m', 'immediate']);
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
