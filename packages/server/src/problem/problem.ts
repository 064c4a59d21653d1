/** An error that the user can do something about; reaches the screen as problem details (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    /** What happened, where, and what to do. */
    readonly detail: string,
  ) {
    super(detail);
  }
}

export const notFound = (what: string, id: string): Problem =>
  new Problem(404, `No such ${what}`, `There is no ${what} “${id}”. It may have been deleted; go back to the list and choose another.`);
