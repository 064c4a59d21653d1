import { readFile } from 'node:fs/promises';
import { availableParallelism, loadavg } from 'node:os';
import { currentLoad, fsStats, mem, networkStats } from 'systeminformation';
import { countersBetween, linuxCounters, type LinuxCounters } from './linux-counters.js';

let before: LinuxCounters | null = null;

/** What grew since the last reading; other systems than Linux tell nothing of it. */
async function grown(): Promise<ReturnType<typeof countersBetween>> {
  const read = (path: string) => readFile(path, 'utf8').catch(() => null);
  const now = linuxCounters(performance.now(), await read('/proc/vmstat'), await read('/proc/pressure/io'));
  const figures = countersBetween(before, now);
  before = now;
  return figures;
}

/** The figures of this machine as `machineFigures` of core names them; null where this system does not tell. */
export async function readMachine(): Promise<Record<string, number | null>> {
  const [load, memory, files, network, counters] = await Promise.all([currentLoad(), mem(), fsStats(), networkStats('*'), grown()]);
  const known = (value: number | null | undefined): number | null =>
    typeof value === 'number' && Number.isFinite(value) && value >= 0 ? value : null;
  const kilobytes = (value: number | null | undefined): number | null => {
    const bytes = known(value);
    return bytes === null ? null : bytes / 1000;
  };
  const disks = files as typeof files | null;
  const sum = (of: (device: (typeof network)[number]) => number): number | null =>
    network.length === 0
      ? null
      : network.reduce<number | null>((all, device) => (all === null || known(of(device)) === null ? null : all + of(device)), 0);
  return {
    processor: known(load.currentLoad),
    // The mean of the last minute, as systems tell it; Windows tells none.
    'run-queue': process.platform === 'win32' ? null : known((loadavg()[0] ?? 0) / availableParallelism()),
    memory: memory.total > 0 ? (100 * (memory.total - memory.available)) / memory.total : null,
    ...counters,
    'disk-read': kilobytes(disks?.rx_sec),
    'disk-write': kilobytes(disks?.wx_sec),
    'net-in': kilobytes(sum((device) => device.rx_sec)),
    'net-out': kilobytes(sum((device) => device.tx_sec)),
  };
}
