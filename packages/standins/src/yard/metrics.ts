import type { ServiceQueue } from './service-queue.js';

/** What the metrics page is made from. */
export interface YardFigures {
  queue: ServiceQueue;
  sessions: number;
  intakes: number;
  startedAt: number;
}

/** OpenMetrics text (openmetrics.io, version 1.0) of Yard's own queue and records. */
export function openMetrics({ queue, sessions, intakes, startedAt }: YardFigures): string {
  const upSeconds = (Date.now() - startedAt) / 1000;
  const workers = queue.options.workers;
  const lines: string[] = [];
  const family = (name: string, type: 'gauge' | 'counter', help: string, value: number, unit = '') => {
    lines.push(`# TYPE ${name} ${type}`);
    if (unit) lines.push(`# UNIT ${name} ${unit}`);
    lines.push(`# HELP ${name} ${help}`, `${name}${type === 'counter' ? '_total' : ''} ${Number(value.toFixed(6))}`);
  };
  family('yard_processor_use_ratio', 'gauge', 'Workers busy now, of all workers.', queue.busy / workers, 'ratio');
  family('yard_worker_busy_seconds', 'counter', 'Seconds that workers were busy.', queue.busySeconds, 'seconds');
  family('yard_run_queue_requests', 'gauge', 'Requests waiting for a worker.', queue.queued, 'requests');
  family('yard_requests_served', 'counter', 'Requests served.', queue.served);
  // The store keeps 40 kB of page state for each session and 2 kB for each intake in memory.
  const memory = 64e6 + sessions * 40e3 + intakes * 2e3;
  family('yard_memory_bytes', 'gauge', 'Memory in use.', memory, 'bytes');
  family('yard_page_faults', 'counter', 'Hard page faults: memory above 80 MB is paged.', Math.max(0, (memory - 80e6) / 4096));
  family(
    'yard_disk_wait_seconds',
    'counter',
    'Seconds that requests waited for the disk: 0.2 ms for each served.',
    queue.served * 0.0002,
    'seconds',
  );
  family('yard_sessions', 'gauge', 'Signed-in sessions.', sessions);
  family('yard_lock_wait_seconds', 'counter', 'Seconds that allocations waited for the database lock.', queue.lockWaitSeconds, 'seconds');
  family('yard_up_seconds', 'gauge', 'Seconds since the start.', upSeconds, 'seconds');
  return `${lines.join('\n')}\n# EOF\n`;
}
