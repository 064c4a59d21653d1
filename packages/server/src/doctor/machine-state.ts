import { spawnSync } from 'node:child_process';
import { accessSync, constants, existsSync, readFileSync, statfsSync } from 'node:fs';
import { createServer } from 'node:net';
import { availableParallelism, tmpdir, totalmem } from 'node:os';
import { dirname, resolve } from 'node:path';
import pg from 'pg';
import { findBrowser } from '@sturdy/engine';

/** What a server is to be started with. */
export interface ServerWish {
  ports: readonly { what: string; option: string; port: number }[];
  listen: string;
  data: string;
  databaseUrl: string | null;
}

/** What was read of this machine; null where it does not tell. */
export interface MachineState {
  node: string;
  cores: number;
  memoryBytes: number;
  browser: { path: string; version: string } | null;
  hasDisplay: boolean;
  /** Why each port cannot be had, as the code of the error; null where it is free. */
  ports: { what: string; option: string; port: number; taken: string | null }[];
  folders: { what: string; path: string; freeBytes: number | null; isWritable: boolean }[];
  /** What the database server says of itself, or why it does not answer. */
  database: { version: string } | { problem: string } | null;
  hasDatabasePrograms: boolean;
  nowMs: number;
  isClockSynchronised: boolean | null;
  openFiles: number | null;
  /** Ports from which connections may go out. */
  localPorts: number | null;
}

/** Reads what a server needs of this machine. Nothing is changed; ports are taken for a moment. */
export async function readMachineState({ ports, listen, data, databaseUrl }: ServerWish): Promise<MachineState> {
  const browser = findBrowser();
  return {
    node: process.versions.node,
    cores: availableParallelism(),
    memoryBytes: totalmem(),
    browser: browser === null ? null : { path: browser, version: firstLine(browser, ['--version']) ?? 'of no known version' },
    hasDisplay: Boolean(process.env['DISPLAY'] ?? process.env['WAYLAND_DISPLAY']),
    ports: await Promise.all(ports.map(async (wished) => ({ ...wished, taken: await whyTaken(wished.port, listen) }))),
    folders: [
      { what: 'Data folder', ...folderState(resolve(data)) },
      { what: 'Temporary folder', ...folderState(tmpdir()) },
    ],
    database: databaseUrl === null ? null : await askDatabase(databaseUrl),
    hasDatabasePrograms: firstLine('pg_dump', ['--version']) !== null && firstLine('pg_restore', ['--version']) !== null,
    nowMs: Date.now(),
    isClockSynchronised: clockState(),
    openFiles: limitIn('/proc/self/limits', /^Max open files\s+(\d+)/m),
    localPorts: portRange(),
  };
}

/** The first line that a program writes; null where it cannot be started, or fails. */
function firstLine(program: string, args: string[]): string | null {
  const { status, stdout } = spawnSync(program, args, { encoding: 'utf8', timeout: 10_000 });
  return status === 0 ? (stdout.split('\n')[0]?.trim() ?? '') : null;
}

function whyTaken(port: number, listen: string): Promise<string | null> {
  const server = createServer();
  return new Promise((done) => {
    server.on('error', (error: NodeJS.ErrnoException) => {
      done(error.code ?? error.message);
    });
    server.listen(port, listen, () =>
      server.close(() => {
        done(null);
      }),
    );
  });
}

/** A folder, or where it is not there yet, the nearest one in which it would be made. */
function folderState(path: string): { path: string; freeBytes: number | null; isWritable: boolean } {
  let nearest = path;
  while (!existsSync(nearest) && dirname(nearest) !== nearest) nearest = dirname(nearest);
  try {
    const { bavail, bsize } = statfsSync(nearest);
    accessSync(nearest, constants.W_OK);
    return { path, freeBytes: bavail * bsize, isWritable: true };
  } catch {
    return { path, freeBytes: null, isWritable: false };
  }
}

async function askDatabase(url: string): Promise<{ version: string } | { problem: string }> {
  const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: 5000 });
  try {
    await client.connect();
    const { rows } = await client.query<{ server_version: string }>('show server_version');
    return { version: rows[0]?.server_version ?? '' };
  } catch (error) {
    return { problem: error instanceof Error && error.message !== '' ? error.message : String(error) };
  } finally {
    await client.end().catch(() => undefined);
  }
}

/** Whether the clock follows others, as the time service of the system says it. */
function clockState(): boolean | null {
  if (existsSync('/run/systemd/timesync/synchronized')) return true;
  const told = firstLine('timedatectl', ['show', '--property=NTPSynchronized', '--value']);
  return told === null || told === '' ? null : told === 'yes';
}

function limitIn(file: string, line: RegExp): number | null {
  if (!existsSync(file)) return null;
  const found = line.exec(readFileSync(file, 'utf8'));
  return found ? Number(found[1]) : null;
}

function portRange(): number | null {
  const file = '/proc/sys/net/ipv4/ip_local_port_range';
  if (!existsSync(file)) return null;
  const [first = 0, last = 0] = readFileSync(file, 'utf8').trim().split(/\s+/).map(Number);
  return last - first + 1;
}
