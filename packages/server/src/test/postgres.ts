import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const programs = '/usr/lib/postgresql/15/bin';

/** True where Debian's PostgreSQL server is installed. */
export const hasPostgres = existsSync(`${programs}/initdb`);

async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address() as AddressInfo;
  await new Promise((done) => server.close(done));
  return port;
}

/** Starts a PostgreSQL server of its own on a free port, with data in a temporary folder. */
export async function startPostgres(): Promise<{ url: string; restart: () => void; stop: () => Promise<void> }> {
  const port = await freePort();
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-pg-'));
  // The server refuses to run as root, so root hands over to the account that Debian made for it.
  const asRoot = process.getuid?.() === 0;
  chmodSync(folder, 0o777);
  const command = (program: string, args: string[]): [string, string[]] =>
    asRoot ? ['runuser', ['-u', 'postgres', '--', `${programs}/${program}`, ...args]] : [`${programs}/${program}`, args];
  execFileSync(...command('initdb', ['-D', `${folder}/db`, '-A', 'trust', '-U', 'sturdy', '--no-sync']), { stdio: 'ignore', cwd: folder });
  const server: ChildProcess = spawn(
    ...command('postgres', ['-D', `${folder}/db`, '-p', String(port), '-k', folder, '-c', 'listen_addresses=127.0.0.1', '-F']),
    { stdio: ['ignore', 'ignore', 'pipe'], cwd: folder },
  );
  await new Promise<void>((done, failed) => {
    let said = '';
    server.stderr?.on('data', (chunk: Buffer) => {
      said += chunk.toString();
      if (said.includes('ready to accept connections')) done();
    });
    server.on('exit', () => failed(new Error(said)));
  });
  return {
    url: `postgres://sturdy@127.0.0.1:${port}/postgres`,
    /** An ordinary restart, as an administrator does it: connections are ended, what was committed stays. */
    restart: () => {
      execFileSync(...command('pg_ctl', ['-D', `${folder}/db`, 'restart', '-m', 'fast', '-w', '-l', `${folder}/db/log`]), {
        stdio: 'ignore',
        cwd: folder,
      });
    },
    stop: async () => {
      const gone = server.exitCode !== null ? undefined : new Promise((done) => server.once('exit', done));
      execFileSync(...command('pg_ctl', ['-D', `${folder}/db`, 'stop', '-m', 'immediate']), { stdio: 'ignore', cwd: folder });
      await gone;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
