import { Refusal } from '@sturdy/core';

/** What a query gives at once. */
export interface QueryRows {
  columns: string[];
  rows: string[][];
}

/** The value of a database as a cell. */
export const queryCell = (value: unknown): string =>
  value === null || value === undefined
    ? ''
    : typeof value === 'string'
      ? value
      : value instanceof Date
        ? value.toISOString()
        : JSON.stringify(value);

/** What a database says of the query it was asked is for whoever wrote it. */
export const asRefusal = (error: unknown): never => {
  throw new Refusal(error instanceof Error ? error.message : String(error), { cause: error });
};

/** Names of the columns of a query. Throws a refusal where two have the same. */
export function queryColumns(fields: readonly { name: string }[]): string[] {
  const names = fields.map((field) => field.name);
  const twice = names.find((name, at) => names.indexOf(name) !== at);
  if (twice !== undefined) throw new Refusal(`Two columns are called “${twice}”. Name one of them otherwise: … as another_name.`);
  return names;
}
