import { randomUUID } from 'node:crypto';
import {
  boundColumns,
  loopedTables,
  actionSteps,
  ownParts,
  repairInRounds,
  usedEnvironment,
  type BodyRef,
  type DataTable,
  type Environment,
  type Rehearsal,
  type RehearsalCommand,
  type Proof,
  type RehearsalWish,
  type RoundsDone,
  type Script,
} from '@sturdy/core';
import { CompileError, RehearsalThreads, StoodStill, type RehearsalCapture, type Row } from '@sturdy/engine';
import type { Compute } from '../compute/tasks.js';
import { mostListed } from '../rows/most-listed.js';
import { RowDealer } from '../rows/row-dealer.js';
import type { LiveHub } from '../live/live-hub.js';
import { notFound, Problem } from '../problem/problem.js';
import { keepScript } from '../scripts/keep-script.js';
import { bodyFiles } from '../scripts/body-files.js';
import { scriptDigest } from '../scripts/script-digest.js';
import type { Store } from '../store/store-client.js';
import type { StoredTake } from '../store/repository.js';
import { storedBody, type StoredBody } from '../store/stored-body.js';
import { storedRehearsal } from '../compute/stored-rehearsal.js';
import { RehearsalUnderWay } from './under-way.js';

/** Rows as they are dealt to one rehearsal. */
interface DealtRows {
  /** Rows that are used up by it, as they are dealt. */
  spent: Rehearsal['rows'];
  deal: (table: string) => Promise<Row | null>;
  listed: ReadonlyMap<string, readonly Row[]>;
  perUse: ReadonlySet<string>;
  /** Frees what was only held. */
  close: () => Promise<void>;
}

const rowOf = ({ columns }: DataTable, { values }: { values: readonly string[] }): Row =>
  new Map(columns.map(({ name }, at) => [name, values[at] ?? '']));

const plainWish: RehearsalWish = { mode: 'through', until: null, twice: false, rows: [] };

const isWholePass = ({ verdict, waitingAt, endedBefore }: Rehearsal): boolean =>
  verdict === 'passed' && waitingAt === undefined && endedBefore === undefined;

function stoodStill(script: Script, { after, seconds }: StoodStill): Problem {
  const number = actionSteps(script).find(({ step }) => step.id === after)?.number;
  const where = number === undefined ? 'before the first step had ended' : `after step ${number}`;
  return new Problem(
    422,
    'The rehearsal was ended by force',
    `The user that plays “${script.name}” stood still for ${seconds} s ${where}. An extractor, a check or a condition there takes too long on what was answered: look at its expression.`,
  );
}

/** Plays scripts once and judges them; repairs them in rounds. */
export class RehearsalRoom {
  readonly #underWay = new Map<string, RehearsalUnderWay>();
  readonly #threads = new RehearsalThreads();

  constructor(
    readonly store: Store,
    readonly compute: Compute,
    readonly live: LiveHub,
  ) {}

  /**
   * Plays the script once and stores the rehearsal. Rows that it is dealt are spent. Where it is played step by step, or the tester
   * pauses it, this resolves with what is known when it first waits; `command` goes on from there.
   */
  async rehearse(
    script: Script,
    environment: Environment,
    wish: RehearsalWish = plainWish,
    steerable = true,
    trial?: Rehearsal['trial'],
  ): Promise<Rehearsal> {
    if (this.#underWay.has(script.id))
      throw new Problem(409, 'A rehearsal is under way', `“${script.name}” is being rehearsed. Let that rehearsal end, or end it.`);
    const underWay = new RehearsalUnderWay(wish, steerable, script);
    this.#underWay.set(script.id, underWay);
    const next = underWay.next();
    // Whoever hears of the end may start the next one at once, so it is under way no more by then.
    this.#play(script, environment, underWay, trial).then(
      (rehearsal) => {
        this.#underWay.delete(script.id);
        underWay.ended(rehearsal);
      },
      (error: unknown) => {
        this.#underWay.delete(script.id);
        underWay.failed(error);
      },
    );
    return next;
  }

  warmUp(): void {
    this.#threads.warmUp();
  }

  async close(): Promise<void> {
    await this.#threads.close();
  }

  /** Tells a rehearsal under way what to do; resolves when it waits again or has ended. */
  command(scriptId: string, command: RehearsalCommand): Promise<Rehearsal> {
    const underWay = this.#underWay.get(scriptId);
    if (!underWay) throw new Problem(409, 'No rehearsal is under way', 'This script is not being rehearsed. Start a rehearsal first.');
    if (!underWay.steerable)
      throw new Problem(409, 'It is being repaired', 'The rounds of a repair go on by themselves. Wait until they have ended.');
    // One that waits already has nothing to wait for when it is told to pause.
    if (command === 'pause' && underWay.waiting) return Promise.resolve(underWay.waiting);
    const next = underWay.next();
    underWay.command(command);
    return next;
  }

  /** The script of a project that is rehearsed now; null where none is. */
  rehearsing(projectId: string): Pick<Script, 'projectId' | 'name'> | null {
    return [...this.#underWay.values()].find(({ script }) => script.projectId === projectId)?.script ?? null;
  }

  /** The rehearsal of a script that waits for the tester; null where none does. */
  waiting(scriptId: string): Rehearsal | null {
    return this.#underWay.get(scriptId)?.waiting ?? null;
  }

  /** Plays a script with a candidate put in at a place, up to that step; the script itself stays as it is. */
  tryCandidate(script: Script, environment: Environment, trial: NonNullable<Rehearsal['trial']>): Promise<Rehearsal> {
    return this.rehearse(script, environment, { ...plainWish, until: trial.step }, false, trial);
  }

  async #play(script: Script, environment: Environment, underWay: RehearsalUnderWay, trial: Rehearsal['trial']): Promise<Rehearsal> {
    const stored = await this.store.loadTake(script.takeId);
    if (!stored) throw notFound('take', script.takeId);
    const second = await this.#secondTake(script);
    const number = (await this.store.lastRehearsalNumber(script.id)) + 1;
    const [before] = trial ? [] : await this.store.rehearsals(script.id, 1);
    const id = randomUUID();
    const dealt = await this.#openTables(script, id, underWay.wish);
    const bodies = new Map<string, StoredBody>();
    const texts: Record<string, string> = {};
    let fresh: StoredBody[] = [];
    const put = (bytes: Uint8Array, mimeType: string): BodyRef => {
      const { stored: body, ref } = storedBody(bytes, mimeType);
      if (!bodies.has(ref.hash)) {
        bodies.set(ref.hash, body);
        texts[ref.hash] = Buffer.from(body.bytes).toString('utf8');
        fresh.push(body);
      }
      return ref;
    };
    const base = {
      id,
      scriptId: script.id,
      number,
      startedAt: new Date().toISOString(),
      environment: usedEnvironment(environment),
      played: scriptDigest(script),
      ...(trial && { trial }),
    };
    const judge = async (capture: RehearsalCapture): Promise<Rehearsal> => {
      const due = fresh;
      fresh = [];
      await this.store.putBodies(due);
      const judged = await this.compute.judge(script, stored, second, {
        ...capture,
        bodies: texts,
        failureSigns: environment.failureSigns,
      });
      return { ...base, rows: dealt.spent, ...judged, ...(capture.endedBefore === undefined ? {} : { endedBefore: capture.endedBefore }) };
    };
    const capture = await this.#threads
      .rehearse({
        script,
        environment,
        deal: dealt.deal,
        listed: dealt.listed,
        dealtPerUse: dealt.perUse,
        files: await this.#files(script),
        put,
        onStep: (step) => {
          this.live.tell(script.id, 'step', { step: step.step });
        },
        gate: (step, soFar) =>
          underWay.gate(new Set(soFar.steps.map((captured) => captured.step)), async () => ({
            ...(await judge({ ...soFar, endedBefore: step })),
            waitingAt: step,
          })),
      })
      .catch((error: unknown) => {
        if (error instanceof CompileError) throw new Problem(422, 'The script cannot be played', error.message);
        if (error instanceof StoodStill) throw stoodStill(script, error);
        throw error;
      })
      .finally(async () => {
        await dealt.close();
      });
    const judged = await judge(capture);
    await this.store.saveRehearsal(judged);
    // Two passes of the very same script in a row tell whether it does what was recorded, whenever the second one is played.
    const isSecondPass = before && !trial && before.played === judged.played && isWholePass(before) && isWholePass(judged);
    const rehearsal = isSecondPass ? await this.#proven(script, before, judged) : judged;
    this.live.tell(script.id, 'rehearsal', { id });
    return rehearsal;
  }

  async #secondTake(script: Script): Promise<StoredTake | null> {
    return script.secondTakeId === null ? null : this.store.loadTake(script.secondTakeId);
  }

  /** Plays the script twice in a row, where the first time passes, and says what was seen of what it did. */
  async rehearseTwice(script: Script, environment: Environment, wish: RehearsalWish): Promise<Rehearsal> {
    const first = await this.rehearse(script, environment, wish);
    if (!isWholePass(first)) return first;
    return this.rehearse(script, environment, { ...plainWish, mode: wish.mode });
  }

  /** The second of two rehearsals that passed, with what was seen of both; it is stored with that. */
  async #proven(script: Script, first: Rehearsal, again: Rehearsal): Promise<Rehearsal & { proof: Proof }> {
    const stored = await this.store.loadTake(script.takeId);
    if (!stored) throw notFound('take', script.takeId);
    const [left, right] = [await storedRehearsal(this.store, first), await storedRehearsal(this.store, again)];
    const proof = await this.compute.prove(script, stored, await this.#secondTake(script), [left, right]);
    const rehearsal = { ...again, proof };
    await this.store.saveRehearsal(rehearsal);
    return rehearsal;
  }

  /** Rehearses and repairs until the script is proven, nothing is left to try, or the rounds are used up. */
  async repair(script: Script, environment: Environment, by: string): Promise<RoundsDone> {
    const stored = await this.store.loadTake(script.takeId);
    if (!stored) throw notFound('take', script.takeId);
    const second = await this.#secondTake(script);
    const done = await repairInRounds(script, {
      rehearse: (current) => this.rehearse(current, environment, plainWish, false),
      repair: async (current, rehearsal, proof, failed) => {
        const experiment = await this.compute.repair(current, stored, second, rehearsal, proof, failed);
        return { ...experiment, script: ownParts(experiment.script), sure: ownParts(experiment.sure) };
      },
      prove: async (current, first, again) => again.proof ?? (await this.#proven(current, first, again)).proof,
      repaired: async (current) => {
        await keepScript(this.store, current, { by, what: 'Repaired' });
      },
    });
    return {
      ...done,
      rounds: done.rounds.map((round) => (round.proof ? { ...round, rehearsal: { ...round.rehearsal, proof: round.proof } } : round)),
    };
  }

  /** The tables of a script, from which rows are dealt while it is played. */
  async #openTables(script: Script, id: string, wish: RehearsalWish): Promise<DealtRows> {
    const tables = await this.store.tables(script.projectId);
    const spent: Rehearsal['rows'] = [];
    const open = new Map<string, { table: DataTable; dealer: RowDealer; wished: number | undefined }>();
    const listed = new Map<string, Row[]>();
    const looped = new Set(loopedTables(script));
    for (const bound of boundColumns(script).keys()) {
      const table = tables.find((dataTable) => dataTable.id === bound);
      if (!table)
        throw new Problem(422, 'A data table is gone', `“${script.name}” takes data from a table that was deleted. Bind the value again.`);
      const dealer = new RowDealer(this.store, table, `rehearsal ${id}`, id);
      open.set(bound, { table, dealer, wished: wish.rows.find((row) => row.table === bound)?.row });
      if (looped.has(bound) && table.deal.use === 'again')
        listed.set(
          bound,
          (await this.store.rows(bound, 1, mostListed)).map((row) => rowOf(table, row)),
        );
    }
    return {
      spent,
      deal: async (bound) => {
        const openTable = open.get(bound);
        if (!openTable) return null;
        const { table, dealer, wished } = openTable;
        openTable.wished = undefined;
        const [row] = wished === undefined ? await dealer.lease(1) : await this.#wishedRow(table, wished, `rehearsal ${id}`);
        // A loop that goes through the rows ends where there are no more of them.
        if (!row && looped.has(bound)) return null;
        if (!row)
          throw new Problem(
            422,
            'No free row left',
            `The table “${table.name}” has no free row. Add rows or release spent ones, then rehearse again.`,
          );
        if (table.deal.use === 'once') spent.push({ table: bound, row: row.row });
        return rowOf(table, row);
      },
      listed,
      perUse: new Set([...open.values()].filter(({ table }) => table.deal.when === 'use').map(({ table }) => table.id)),
      close: async () => {
        for (const { dealer } of open.values()) await dealer.ended();
      },
    };
  }

  async #wishedRow(table: DataTable, row: number, spentBy: string): Promise<{ row: number; values: string[] }[]> {
    if (table.deal.use === 'again') return this.store.rowsAt(table.id, [row]);
    const values = await this.store.leaseRow(table.id, row, spentBy);
    if (!values)
      throw new Problem(
        422,
        'This row is not free',
        `Row ${row} of “${table.name}” is spent, or there is no such row (it has ${table.rowCount}). Choose another row, or release it first.`,
      );
    return [{ row, values }];
  }

  async #files(script: Script): Promise<Map<string, Uint8Array>> {
    return bodyFiles(this.store, [script]);
  }
}
