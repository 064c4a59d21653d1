import { randomUUID } from 'node:crypto';
import {
  boundColumns,
  filesOf,
  repairInRounds,
  type BodyRef,
  type Environment,
  type Rehearsal,
  type Round,
  type Script,
} from '@sturdy/core';
import { CompileError, rehearse } from '@sturdy/engine';
import type { Compute } from '../compute/tasks.js';
import type { LiveHub } from '../live/live-hub.js';
import { notFound, Problem } from '../problem.js';
import type { Store } from '../store/store-client.js';
import { storedBody, type StoredBody } from '../store/stored-body.js';

/** Plays scripts once and judges them; repairs them in rounds. */
export class RehearsalRoom {
  constructor(
    readonly store: Store,
    readonly compute: Compute,
    readonly live: LiveHub,
  ) {}

  /** Plays the script once and stores the rehearsal. Rows that it is dealt are spent. */
  async rehearse(script: Script, environment: Environment): Promise<Rehearsal> {
    const stored = await this.store.loadTake(script.takeId);
    if (!stored) throw notFound('take', script.takeId);
    const before = await this.store.rehearsals(script.id);
    const id = randomUUID();
    const { rows, spent } = await this.#dealRows(script, id);
    const bodies = new Map<string, StoredBody>();
    const put = (bytes: Uint8Array, mimeType: string): BodyRef => {
      const { stored, ref } = storedBody(bytes, mimeType);
      bodies.set(ref.hash, stored);
      return ref;
    };
    const startedAt = new Date().toISOString();
    const files = await this.#files(script);
    const capture = await rehearse({
      script,
      environment,
      rows,
      random: Math.random,
      put,
      readFile: (hash) => files.get(hash),
      told: (step) => {
        this.live.tell(script.id, 'step', { step: step.step, status: step.response?.status ?? 0 });
      },
    }).catch((error: unknown) => {
      if (error instanceof CompileError) throw new Problem(422, 'The script cannot be played', error.message);
      throw error;
    });
    await this.store.putBodies([...bodies.values()]);
    const texts: Record<string, string> = {};
    for (const { hash, bytes } of bodies.values()) texts[hash] = Buffer.from(bytes).toString('utf8');
    const judged = await this.compute.judge(script, stored, { ...capture, bodies: texts, failureSigns: environment.failureSigns });
    const rehearsal: Rehearsal = { id, scriptId: script.id, number: (before[0]?.number ?? 0) + 1, startedAt, ...judged, rows: spent };
    await this.store.saveRehearsal(rehearsal);
    this.live.tell(script.id, 'rehearsal', { id });
    return rehearsal;
  }

  /** Rehearses and repairs until the script passes, nothing more can be added, or the rounds are used up. */
  async repair(script: Script, environment: Environment): Promise<{ script: Script; rounds: Round[] }> {
    const stored = await this.store.loadTake(script.takeId);
    if (!stored) throw notFound('take', script.takeId);
    return repairInRounds(script, {
      rehearse: (current) => this.rehearse(current, environment),
      repair: (current, rehearsal) => this.compute.repair(current, stored, rehearsal),
      repaired: (current) => this.store.saveScript(current),
    });
  }

  async #dealRows(script: Script, spentBy: string): Promise<{ rows: Map<string, Map<string, string>>; spent: Rehearsal['rows'] }> {
    const tables = await this.store.tables(script.projectId);
    const rows = new Map<string, Map<string, string>>();
    const spent: Rehearsal['rows'] = [];
    for (const id of boundColumns(script).keys()) {
      const table = tables.find((one) => one.id === id);
      if (!table)
        throw new Problem(422, 'A data table is gone', `“${script.name}” takes data from a table that was deleted. Bind the value again.`);
      const [row] = await this.store.leaseRows(id, 1, `rehearsal ${spentBy}`);
      if (!row)
        throw new Problem(
          422,
          'No free row left',
          `The table “${table.name}” has no free row. Add rows or release spent ones, then rehearse again.`,
        );
      rows.set(id, new Map(table.columns.map((column, index) => [column, row.values[index] ?? ''])));
      spent.push({ table: id, row: row.row });
    }
    return { rows, spent };
  }

  async #files(script: Script): Promise<Map<string, Uint8Array>> {
    return bodyFiles(this.store, [script]);
  }
}

/** Bodies that scripts send as they are. */
export async function bodyFiles(store: Store, scripts: readonly Script[]): Promise<Map<string, Uint8Array>> {
  const files = new Map<string, Uint8Array>();
  for (const hash of new Set(scripts.flatMap((script) => [...filesOf(script)]))) {
    const body = await store.body(hash);
    if (body) files.set(hash, body.bytes);
  }
  return files;
}
