/** Counters of Linux that say something only by how much they grow. */
export interface LinuxCounters {
  atMs: number;
  /** Pages that had to be read from disk since the system began. */
  pageFaults: number | null;
  /** Time in which at least one task waited for a disk, in µs since the system began. */
  waitedUs: number | null;
}

/** Reads them out of /proc/vmstat (proc(5): pgmajfault) and /proc/pressure/io (pressure stall information, kernel 4.20 and later: some … total=). */
export function linuxCounters(atMs: number, vmstat: string | null, pressure: string | null): LinuxCounters {
  const numberIn = (text: string | null, pattern: RegExp): number | null => {
    const [, digits] = (text === null ? null : pattern.exec(text)) ?? [];
    return digits === undefined ? null : Number(digits);
  };
  return { atMs, pageFaults: numberIn(vmstat, /^pgmajfault (\d+)$/m), waitedUs: numberIn(pressure, /^some .*\btotal=(\d+)$/m) };
}

/** Hard page faults a second and the share of the time in which some task waited for a disk, in per cent, between two readings; null where that is not known. */
export function countersBetween(
  before: LinuxCounters | null,
  now: LinuxCounters,
): { 'page-faults': number | null; 'disk-wait': number | null } {
  const ms = before === null ? 0 : now.atMs - before.atMs;
  const grown = (was: number | null | undefined, is: number | null): number | null =>
    was == null || is === null || ms <= 0 || is < was ? null : is - was;
  const [faults, waited] = [grown(before?.pageFaults, now.pageFaults), grown(before?.waitedUs, now.waitedUs)];
  return {
    'page-faults': faults === null ? null : (1000 * faults) / ms,
    'disk-wait': waited === null ? null : Math.min(100, waited / 10 / ms),
  };
}
