import { createServer, type AddressInfo } from 'node:net';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { findingsOf, type Finding } from './findings.js';
import { readMachineState, type MachineState } from './machine-state.js';

const good: MachineState = {
  node: '20.19.0',
  cores: 4,
  memoryBytes: 8 * (1 << 30),
  browser: { path: '/usr/bin/chromium', version: 'Chromium 156' },
  hasDisplay: true,
  ports: [{ what: 'Port', option: '--port', port: 4300, taken: null }],
  folders: [{ what: 'Data folder', path: '/srv/sturdy', freeBytes: 20 * (1 << 30), isWritable: true }],
  database: { version: '15.18' },
  hasDatabasePrograms: true,
  nowMs: Date.UTC(2026, 10, 23),
  isClockSynchronised: true,
  openFiles: 65_536,
  localPorts: 28_232,
};

const findings = (change: Partial<MachineState>): Finding[] => findingsOf({ ...good, ...change });
const [port] = good.ports;
const [folder] = good.folders;
if (!port || !folder) throw new Error('The example is not whole.');

describe('what a server needs', () => {
  it('is all there on a good machine, embedded or with a database server', () => {
    expect(findings({}).filter(({ state }) => state !== 'good')).toEqual([]);
    expect(
      findings({ database: null, openFiles: null, localPorts: null, isClockSynchronised: null }).filter(({ state }) => state !== 'good'),
    ).toEqual([]);
  });

  it.each<[string, Partial<MachineState>, Finding['state'], RegExp]>([
    ['Node.js that is too old', { node: '20.18.9' }, 'missing', /^Node\.js: 20\.18\.9 is too old\. Install 20\.19 or newer\.$/],
    ['an old major version', { node: '18.20.0' }, 'missing', /^Node\.js: .*too old/],
    ['no browser', { browser: null }, 'mind', /^Browser: .*apt-get install chromium/],
    ['no display', { hasDisplay: false }, 'mind', /^Browser: Chromium 156 .*no display/],
    ['a port that is taken', { ports: [{ ...port, taken: 'EADDRINUSE' }] }, 'missing', /^Port: 4300 is taken.*--port/],
    [
      'a port that may not be used',
      { ports: [{ ...port, port: 80, taken: 'EACCES' }] },
      'missing',
      /^Port: 80 may not be used.*above 1023/,
    ],
    ['an address that is not there', { ports: [{ ...port, taken: 'EADDRNOTAVAIL' }] }, 'missing', /^Port: .*EADDRNOTAVAIL.*--listen/],
    [
      'a folder that cannot be written to',
      { folders: [{ ...folder, freeBytes: null, isWritable: false }] },
      'missing',
      /cannot be written to/,
    ],
    ['a disk that is full', { folders: [{ ...folder, freeBytes: 1 << 20 }] }, 'missing', /has 1 MB free, and at least 64 MB have to be/],
    ['a disk that is nearly full', { folders: [{ ...folder, freeBytes: 500 << 20 }] }, 'mind', /has 500 MB free\. A run of an hour/],
    ['a database that does not answer', { database: { problem: 'ECONNREFUSED' } }, 'missing', /^Database: .*ECONNREFUSED.*--database/],
    ['no client programs', { hasDatabasePrograms: false }, 'mind', /^Backups: .*postgresql-client/],
    ['a clock that was never set', { nowMs: 0 }, 'missing', /^Clock: It says 1970-01-01 00:00 UTC, which cannot be/],
    ['a clock of its own', { isClockSynchronised: false }, 'mind', /^Clock: .*follows no time server/],
    ['few open files', { openFiles: 1024 }, 'mind', /^Open files: 1,024 at the most, enough for 824 connections\. Raise the limit/],
    ['few ports to go out from', { localPorts: 1000 }, 'mind', /^Outgoing ports: 1,000: .*ip_local_port_range/],
    ['little memory', { memoryBytes: 1 << 30 }, 'mind', /^Machine: 4 processors, 1\.0 GB of memory\. Give it 2\.0 GB/],
    ['one processor', { cores: 1 }, 'mind', /^Machine: 1 processor, .*not be trusted/],
  ])('is told where there is %s', (_what, change, state, sentence) => {
    const told = findings(change).filter((finding) => finding.state !== 'good');
    expect(told.map((finding) => finding.state)).toEqual([state]);
    expect(told.map(({ what, text }) => `${what}: ${text}`)[0]).toMatch(sentence);
  });

  it('asks for the Node.js that the package asks for', () => {
    const { engines } = JSON.parse(readFileSync('package.json', 'utf8')) as { engines: { node: string } };
    const least = engines.node.replace(/^>=|\.0$/g, '');
    expect(findings({ node: '1.0.0' })[0]?.text).toContain(`Install ${least} or newer.`);
  });

  it('is read of this machine', async () => {
    const data = mkdtempSync(join(tmpdir(), 'sturdy-doctor-'));
    const taken = createServer();
    await new Promise<void>((done) => taken.listen(0, '127.0.0.1', done));
    const { port: takenPort } = taken.address() as AddressInfo;
    const state = await readMachineState({
      ports: [
        { what: 'Port', option: '--port', port: takenPort },
        { what: 'Proxy port', option: '--proxy-port', port: 0 },
      ],
      listen: '127.0.0.1',
      data: join(data, 'not', 'yet'),
      databaseUrl: 'postgres://nobody@127.0.0.1:1/none',
    });
    expect(state.node).toBe(process.versions.node);
    expect(state.ports.map((read) => read.taken)).toEqual(['EADDRINUSE', null]);
    expect(state.folders[0]).toMatchObject({ path: join(data, 'not', 'yet'), isWritable: true });
    expect(state.folders[0]?.freeBytes).toBeGreaterThan(0);
    expect(state.database).toEqual({ problem: expect.stringContaining('ECONNREFUSED') as string });
    taken.close();
    rmSync(data, { recursive: true });
  });
});
