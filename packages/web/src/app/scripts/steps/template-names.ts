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
  const own = pieceNames(script);
  const nameOf = new Map(tables.map((one) => [one.id, one.name]));
  const idOf = new Map(tables.map((one) => [one.name, one.id]));
  return {
    nameOf: (piece) => (piece.kind === 'data' ? `data:${nameOf.get(piece.table) ?? piece.table}/${piece.column}` : own.nameOf(piece)),
    pieceOf: (name, recorded) => {
      const data = /^data:([^/]+)\/(.+)$/.exec(name);
      const table = data && idOf.get(data[1] ?? '');
      return own.pieceOf(table === undefined || table === null ? name : `data:${table}/${data?.[2] ?? ''}`, recorded);
    },
  };
}

/** All that can be named in a text of a script. */
export const nameable = (script: Script, tables: readonly DataTable[], variables: readonly string[]): string[] => [
  ...script.handoffs.map((one) => one.name),
  ...tables.flatMap((table) => table.columns.map(({ name }) => `data:${table.name}/${name}`)),
  ...script.made.map((one) => one.name),
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
