import pg from 'pg';

/** A query that takes longer, in ms, is taken for one that never ends: ordinary ones take milliseconds, the largest imports seconds. */
const longestQueryMs = 60_000;

/** The part of a connection that ends it. */
interface Connection {
  stream: { destroy: (error: Error) => void };
}

/** A connection to a PostgreSQL server that is cut where a query does not come back, so that a server that hangs holds nobody for ever. */
export function watchedConnection(longestMs = longestQueryMs): typeof pg.Client {
  class WatchedConnection extends pg.Client {
    constructor(config?: string | pg.ClientConfig) {
      super(config);
      const ask = this.query.bind(this) as (...args: unknown[]) => unknown;
      this.query = ((...args: unknown[]) => {
        const timer = setTimeout(() => {
          const { connection } = this as unknown as { connection: Connection };
          connection.stream.destroy(new Error(`The database did not answer within ${longestMs / 1000} s`));
        }, longestMs);
        const settled = (): void => {
          clearTimeout(timer);
        };
        const last = args.at(-1);
        if (typeof last === 'function') {
          const answered = last as (...answer: unknown[]) => void;
          return ask(...args.slice(0, -1), (...answer: unknown[]) => {
            settled();
            answered(...answer);
          });
        }
        const asked = ask(...args);
        if (asked instanceof Promise) asked.then(settled, settled);
        else settled();
        return asked;
      }) as typeof this.query;
    }
  }
  return WatchedConnection;
}
