import {
  pieceNames,
  templateFromText,
  TemplateTextError,
  templateToText,
  type DataTable,
  type PieceNames,
  type Script,
  type Template,
} from '@sturdy/core';

/** Names of moving values as testers see them: data goes by the name of its table, not by its id. */
export function namesFor(script: Script, tables: readonly DataTable[]): PieceNames {
  const names = pieceNames(script);
  const nameOf = new Map(tables.map((table) => [table.id, table.name]));
  const idOf = new Map(tables.map((table) => [table.name, table.id]));
  return {
    nameOf: (piece) => (piece.kind === 'data' ? `data:${nameOf.get(piece.table) ?? piece.table}/${piece.column}` : names.nameOf(piece)),
    pieceOf: (name, recorded) => {
      const data = /^data:([^/]+)\/(.+)$/.exec(name);
      const table = data && idOf.get(data[1] ?? '');
      return names.pieceOf(table === undefined || table === null ? name : `data:${table}/${data?.[2] ?? ''}`, recorded);
    },
  };
}

/** All that can be named in a text of a script. */
export const nameable = (script: Script, tables: readonly DataTable[], variables: readonly string[]): string[] => [
  ...script.handoffs.map((handoff) => handoff.name),
  ...tables.flatMap((table) => table.columns.map(({ name }) => `data:${table.name}/${name}`)),
  ...script.made.map((made) => made.name),
  ...variables.map((name) => `variable:${name}`),
];

/** A text with moving parts as it is typed, or what is wrong with it. */
export function readTemplate(text: string, names: PieceNames): { template: Template } | { problem: string } {
  try {
    return { template: templateFromText(text, names) };
  } catch (error) {
    if (error instanceof TemplateTextError) return { problem: error.message };
    throw error;
  }
}

export const templateText = (template: Template, names: PieceNames): string => templateToText(template, names);
