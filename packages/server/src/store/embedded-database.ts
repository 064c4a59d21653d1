import { cpSync } from 'node:fs';
import { PGlite, type PGliteOptions, type QueryOptions, type Results, type Transaction } from '@electric-sql/pglite';

/** As it comes the embedded database keeps 800 MB resident; these settings bring it to about 210 MB. */
const postgresqlconf = ['shared_buffers=16MB', 'wal_buffers=1MB'];

/** The number of the type “bytea” (pg_type.dat of PostgreSQL). */
const bytea = 17;

/** The client's own way writes each byte as a text of its own, which takes half a second and 50 MB for a megabyte. */
const serializers = {
  [bytea]: (bytes: Uint8Array) => `\\x${Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('hex')}`,
};
const parsers = { [bytea]: (text: string) => Buffer.from(text.slice(2), 'hex') };

/** A database that broke down within a write never answers again: the next query would hold its thread for ever. */
function brokeDown(error: unknown): error is Error {
  for (let cause = error; cause instanceof Error; cause = cause.cause)
    if (cause.name === 'RuntimeError' || (cause as { severity?: string }).severity === 'PANIC') return true;
  return false;
}

/** What PostgreSQL says while it starts (57P03, “cannot connect now”): whoever asks waits, and asks again. */
const beingOpened = (): Error => Object.assign(new Error('The embedded database broke down and is being opened anew'), { code: '57P03' });

/**
 * The embedded database, opened anew where it broke down: in the middle of a write that the disk did not take, it gives up as any PostgreSQL
 * does, and what was committed comes back from its log.
 */
export class EmbeddedDatabase {
  #client: Promise<PGlite>;
  #broken = false;
  #last: Promise<unknown> = Promise.resolve();

  constructor(readonly dataDir: string) {
    this.#client = this.#open();
  }

  query<T>(query: string, params?: unknown[], options?: QueryOptions): Promise<Results<T>> {
    return this.#ask((client) => client.query<T>(query, params, options));
  }

  exec(query: string, options?: QueryOptions): Promise<Results[]> {
    return this.#ask((client) => client.exec(query, options));
  }

  transaction<T>(work: (transaction: Transaction) => Promise<T>): Promise<T> {
    return this.#ask(
      (client) =>
        new Promise<T>((done, failed) => {
          const guarded = async (transaction: Transaction): Promise<T> => {
            try {
              return await work(transaction);
            } catch (error) {
              if (!brokeDown(error)) throw error;
              failed(error);
              // The client would ask the broken database to roll back; it is never asked anything again.
              return new Promise<never>(() => undefined);
            }
          };
          client.transaction(guarded).then(done, failed);
        }),
    );
  }

  /** Copies all files of the database into a folder, in the state of one moment: nobody else is answered meanwhile. */
  copyTo(folder: string): Promise<void> {
    return this.#ask(async (client) => {
      await client.exec('checkpoint');
      cpSync(this.dataDir, folder, { recursive: true });
    });
  }

  /** Opens the database anew where it broke down. Rejects where it cannot be opened. */
  async mend(): Promise<void> {
    if (this.#broken) {
      this.#client = this.#open();
      this.#broken = false;
    }
    await this.query('select 1');
  }

  async close(): Promise<void> {
    if (this.#broken) return;
    await (await this.#client).close();
  }

  #open(): Promise<PGlite> {
    const opening = PGlite.create({ dataDir: this.dataDir, postgresqlconf, serializers, parsers } as PGliteOptions);
    // Who asks next hears why it cannot be opened.
    opening.catch(() => (this.#broken = true));
    return opening;
  }

  /** One after the other, as the database works too, so that nobody asks it after it broke down. */
  #ask<T>(asked: (client: PGlite) => Promise<T>): Promise<T> {
    const turn = this.#last.then(async () => {
      if (this.#broken) throw beingOpened();
      try {
        return await asked(await this.#client);
      } catch (error) {
        if (brokeDown(error)) this.#broken = true;
        throw error;
      }
    });
    this.#last = turn.catch(() => undefined);
    return turn;
  }
}
