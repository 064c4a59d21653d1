import { leftBytes, littleRoomBytes } from '../store/disk-room.js';
import type { MachineState } from './machine-state.js';

/** Something that was looked at: good, worth minding, or missing, with what to do. */
export interface Finding {
  what: string;
  state: 'good' | 'mind' | 'missing';
  text: string;
}

/** What this machine has to have at least (`engines` of package.json). */
const leastNode = [20, 19] as const;
/** Less memory than this is little for the product and a browser beside it; common practice, no source. */
const littleMemoryBytes = 2 * 2 ** 30;
/** Handles that the product takes for itself, of threads, files and its own connections. */
const ownHandles = 200;
/** Fewer virtual users with a connection each than this are few for a load test. */
const fewUsers = 2000;
/** No machine that works lives before the first version. */
const firstVersionMs = Date.UTC(2026, 0, 1);

const size = (bytes: number): string => (bytes >= 1 << 30 ? `${(bytes / (1 << 30)).toFixed(1)} GB` : `${Math.floor(bytes / (1 << 20))} MB`);

/** Says of everything that a server needs whether this machine has it, and how to get what is missing. */
export function findingsOf(state: MachineState): Finding[] {
  return [
    nodeFinding(state.node),
    browserFinding(state),
    ...state.ports.map(portFinding),
    ...state.folders.map(folderFinding),
    ...databaseFindings(state),
    clockFinding(state),
    openFilesFinding(state.openFiles),
    localPortsFinding(state.localPorts),
    machineFinding(state),
  ];
}

function nodeFinding(node: string): Finding {
  const [major = 0, minor = 0] = node.split('.').map(Number);
  const isEnough = major > leastNode[0] || (major === leastNode[0] && minor >= leastNode[1]);
  return isEnough
    ? { what: 'Node.js', state: 'good', text: node }
    : { what: 'Node.js', state: 'missing', text: `${node} is too old. Install ${leastNode.join('.')} or newer.` };
}

function browserFinding({ browser, hasDisplay }: MachineState): Finding {
  const what = 'Browser';
  if (!browser)
    return {
      what,
      state: 'mind',
      text: 'There is no Chromium. Recordings can be made through the proxy from any browser; for the clean browser, install it (Debian: apt-get install chromium).',
    };
  return hasDisplay
    ? { what, state: 'good', text: `${browser.version} at ${browser.path}` }
    : {
        what,
        state: 'mind',
        text: `${browser.version} at ${browser.path}, but there is no display to open it on. Record through the proxy, from a browser elsewhere, or set DISPLAY.`,
      };
}

function portFinding({ what, option, port, taken }: MachineState['ports'][number]): Finding {
  if (taken === null) return { what, state: 'good', text: `${port} is free` };
  const why =
    taken === 'EADDRINUSE'
      ? `${port} is taken by another program, perhaps by this product. Stop it, or choose another with ${option}.`
      : taken === 'EACCES'
        ? `${port} may not be used by this user. Choose one above 1023 with ${option}.`
        : `${port} cannot be used (${taken}). See --listen and ${option}.`;
  return { what, state: 'missing', text: why };
}

function folderFinding({ what, path, freeBytes, isWritable }: MachineState['folders'][number]): Finding {
  if (!isWritable || freeBytes === null)
    return { what, state: 'missing', text: `${path} cannot be written to. Make it writable, or name another.` };
  const room = `${path} has ${size(freeBytes)} free`;
  if (freeBytes < leftBytes) return { what, state: 'missing', text: `${room}, and at least ${size(leftBytes)} have to be. Make room.` };
  return freeBytes < littleRoomBytes
    ? { what, state: 'mind', text: `${room}. A run of an hour writes some hundred megabytes: make room.` }
    : { what, state: 'good', text: room };
}

function databaseFindings({ database, hasDatabasePrograms }: MachineState): Finding[] {
  if (database === null) return [{ what: 'Database', state: 'good', text: 'embedded, in the data folder' }];
  if ('problem' in database)
    return [
      {
        what: 'Database',
        state: 'missing',
        text: `The server does not let us in: ${database.problem}. See whether it runs, and --database.`,
      },
    ];
  return [
    { what: 'Database', state: 'good', text: `PostgreSQL ${database.version}` },
    hasDatabasePrograms
      ? { what: 'Backups', state: 'good', text: 'pg_dump and pg_restore are there' }
      : {
          what: 'Backups',
          state: 'mind',
          text: 'pg_dump or pg_restore is missing, so sturdy backup cannot be used. Install them (Debian: postgresql-client).',
        },
  ];
}

function clockFinding({ nowMs, isClockSynchronised }: MachineState): Finding {
  const what = 'Clock';
  const now = new Date(nowMs).toISOString().slice(0, 16).replace('T', ' ');
  if (nowMs < firstVersionMs) return { what, state: 'missing', text: `It says ${now} UTC, which cannot be. Set it.` };
  if (isClockSynchronised === null)
    return { what, state: 'good', text: `${now} UTC; this system does not tell whether it follows a time server` };
  return isClockSynchronised
    ? { what, state: 'good', text: `${now} UTC, follows a time server` }
    : {
        what,
        state: 'mind',
        text: `${now} UTC, and follows no time server: times of a run will not fit logs of other machines. Switch one on (timedatectl set-ntp true).`,
      };
}

function openFilesFinding(openFiles: number | null): Finding {
  const what = 'Open files';
  if (openFiles === null) return { what, state: 'good', text: 'This system does not tell its limit' };
  const users = Math.max(0, openFiles - ownHandles).toLocaleString('en');
  return openFiles - ownHandles >= fewUsers
    ? { what, state: 'good', text: `${openFiles.toLocaleString('en')} at the most, enough for ${users} connections` }
    : {
        what,
        state: 'mind',
        text: `${openFiles.toLocaleString('en')} at the most, enough for ${users} connections. Raise the limit before a larger run (ulimit -n 65536).`,
      };
}

function localPortsFinding(localPorts: number | null): Finding {
  const what = 'Outgoing ports';
  if (localPorts === null) return { what, state: 'good', text: 'This system does not tell how many there are' };
  return {
    what,
    state: localPorts >= fewUsers ? 'good' : 'mind',
    text: `${localPorts.toLocaleString('en')}: so many connections to one address at a time${localPorts >= fewUsers ? '' : '. Widen net.ipv4.ip_local_port_range before a larger run.'}`,
  };
}

function machineFinding({ cores, memoryBytes }: MachineState): Finding {
  const text = `${cores} ${cores === 1 ? 'processor' : 'processors'}, ${size(memoryBytes)} of memory`;
  if (memoryBytes < littleMemoryBytes)
    return { what: 'Machine', state: 'mind', text: `${text}. Give it ${size(littleMemoryBytes)} or more.` };
  return cores < 2
    ? { what: 'Machine', state: 'mind', text: `${text}. Load and measuring share it, so figures of a busy run will not be trusted.` }
    : { what: 'Machine', state: 'good', text };
}
