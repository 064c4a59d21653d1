import { tableOf, type TextTable } from './csv.js';
import type { RaggedRows } from './table-builder.js';

const asText = (value: unknown): string =>
  value === null || value === undefined ? '' : typeof value === 'string' ? value : JSON.stringify(value);

/**
 * Reads a table from JSON: a list of objects (their members are the columns), a list of lists whose first names the columns, or one object
 * in each line (JSON Lines). Throws a sentence where it is none of these.
 */
export function readJsonTable(text: string, ragged: RaggedRows): TextTable {
  const rows = parsed(text);
  const [first] = rows;
  if (first === undefined) throw new Error('The list is empty. Write at least one object into it.');
  if (Array.isArray(first)) {
    if (!rows.every(Array.isArray)) throw new Error('The list holds lists and other things. Write either lists or objects.');
    const [header = [], ...body] = rows as unknown[][];
    return tableOf(
      body.map((row, at) => ({ line: at + 2, fields: row.map(asText) })),
      { ragged, header: header.map(asText), what: 'entry' },
    );
  }
  const columns: string[] = [];
  const seen = new Set<string>();
  rows.forEach((row, at) => {
    if (typeof row !== 'object' || row === null || Array.isArray(row)) throw new Error(`Entry ${at + 1} of the list is no object.`);
    for (const key of Object.keys(row))
      if (!seen.has(key)) {
        seen.add(key);
        columns.push(key);
      }
  });
  return tableOf(
    rows.map((row, at) => {
      const members = new Map(Object.entries(row as object));
      return { line: at + 1, fields: columns.map((name) => asText(members.get(name))) };
    }),
    { ragged, header: columns, what: 'entry' },
  );
}

function parsed(text: string): unknown[] {
  try {
    const value: unknown = JSON.parse(text);
    if (Array.isArray(value)) return value;
    const inner = typeof value === 'object' && value !== null ? Object.values(value).filter(Array.isArray) : [];
    // What interfaces give is often a list in an object.
    if (inner.length === 1) return inner[0] as unknown[];
    throw new Error('This is JSON, but no list. Write a list of objects.');
  } catch (error) {
    const lines = text.split(/\r?\n/).filter((line) => line.trim() !== '');
    if (lines.length < 2) throw error instanceof SyntaxError ? new Error(`This is no JSON: ${error.message}`, { cause: error }) : error;
    return lines.map((line, at) => {
      try {
        return JSON.parse(line) as unknown;
      } catch {
        throw new Error(`This is no JSON, and line ${at + 1} by itself is none either.`, { cause: error });
      }
    });
  }
}
