import { encode, inForm, movingPieces, type Extractor, type GeneratedValue, type Piece, type Template } from '@sturdy/core';
import { makeValue } from './make-value.js';
import type { Scope } from './scope.js';

/** Gives a text as it is now. */
export type Render = (scope: Scope) => string;
/** Gives the text of a template of the script as it is now. */
export type Fillers = (template: Template, scope: Scope) => string;

/** What the pieces of a script speak of. */
export interface TemplateNames {
  made: ReadonlyMap<string, GeneratedValue>;
  /** Filled with the tables that are met. */
  tables: Set<string>;
  variables: Readonly<Record<string, string>>;
}

/** A template as a function that fills it. */
export function compileTemplate(template: Template, names: TemplateNames): Render {
  const parts = template.map((piece) => compilePiece(piece, names));
  const [only] = parts;
  if (parts.length === 1 && only) return only;
  return (scope) => {
    let text = '';
    for (const part of parts) text += part(scope);
    return text;
  };
}

function compilePiece(piece: Piece, { made, tables, variables }: TemplateNames): Render {
  switch (piece.kind) {
    case 'text': {
      const { text } = piece;
      return () => text;
    }
    case 'handoff':
      return written(piece, (scope) => scope.handoffs.get(piece.handoff));
    case 'data':
      tables.add(piece.table);
      return written(piece, (scope) => scope.rows.get(piece.table)?.get(piece.column));
    case 'variable': {
      const value = variables[piece.name];
      return written(piece, (scope) => scope.variables.get(piece.name) ?? value);
    }
    case 'file':
      return () => piece.recorded;
    case 'made': {
      const value = made.get(piece.made);
      return value ? (scope) => makeValue(value, scope) : () => piece.recorded;
    }
    case 'wrap': {
      const inner = compileTemplate(piece.pieces, { made, tables, variables });
      return (scope) => encode(piece.encoding, inner(scope));
    }
  }
}

/** What a piece stands for in the form in which it is written; what was recorded in its place where it stands for nothing yet. */
function written({ as, recorded }: { as?: string | undefined; recorded: string }, valueOf: (scope: Scope) => string | undefined): Render {
  if (as === undefined) return (scope) => valueOf(scope) ?? recorded;
  return (scope) => {
    const value = valueOf(scope);
    return value === undefined ? recorded : inForm(as, value);
  };
}

/** Tables of which templates take something, each as often as it stands there. */
export const dataOf = (templates: readonly Template[]): string[] =>
  templates.flatMap((template) => [...movingPieces(template)].flatMap((piece) => (piece.kind === 'data' ? [piece.table] : [])));

/** The text that an extractor looks for beside its match, where it has one. */
export const fillerOf = (extractor: Extractor, renderer: (template: Template) => Render): Render | undefined =>
  extractor.beside && renderer(extractor.beside);
