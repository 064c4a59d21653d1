import { EncodingSchema, type Encoding, type Piece, type Template } from '../../values/template.schema.js';
import type { Script } from '../../script/script.schema.js';
import { encode } from '../../values/encoding.js';
import { ValueFormSchema } from '../../values/value-form.js';
import { compact, fileSign, recordedText } from '../../values/template.js';

/** A text with moving parts that cannot be read, with the offset of the fault in it. */
export class TemplateTextError extends Error {
  constructor(
    message: string,
    readonly offset: number,
  ) {
    super(message);
  }
}

/** The names by which a script's text form calls its moving values, and what was recorded of each. */
export interface PieceNames {
  nameOf: (piece: Exclude<Piece, { kind: 'text' } | { kind: 'wrap' }>) => string;
  pieceOf: (name: string, recorded: ReadonlyMap<string, string>) => Piece | undefined;
}

/** A value that a part sends and that is read or made elsewhere. */
export interface ForeignValue {
  id: string;
  name: string;
  kind: 'handoff' | 'made';
}

/** What has values with names: a script, or a part. */
export type NamedValues = Pick<Script, 'handoffs' | 'made'> & { foreign?: readonly ForeignValue[] };

/** Handoffs and client-made values go by their names, data by `data:table/column`, variables by `variable:name`. */
export function pieceNames(script: NamedValues): PieceNames {
  const { foreign = [] } = script;
  const handoffs = new Map<string, { name: string }>([...foreign, ...script.handoffs].map((named) => [named.id, named]));
  const made = new Map<string, { name: string }>([...foreign, ...script.made].map((named) => [named.id, named]));
  const byName = new Map<string, Piece>();
  for (const { id, name, kind } of foreign)
    byName.set(name, kind === 'made' ? { kind, made: id, recorded: '' } : { kind, handoff: id, recorded: '' });
  for (const generatedValue of script.made)
    byName.set(generatedValue.name, { kind: 'made', made: generatedValue.id, recorded: generatedValue.recorded });
  for (const handoff of script.handoffs) byName.set(handoff.name, { kind: 'handoff', handoff: handoff.id, recorded: handoff.recorded });
  return {
    nameOf: (piece) => {
      switch (piece.kind) {
        case 'handoff':
          return handoffs.get(piece.handoff)?.name ?? piece.handoff;
        case 'made':
          return made.get(piece.made)?.name ?? piece.made;
        case 'data':
          return `data:${piece.table}/${piece.column}`;
        case 'variable':
          return `variable:${piece.name}`;
        case 'file':
          return `file:${piece.hash}@${piece.start}-${piece.end}`;
      }
    },
    pieceOf: (name, recorded) => {
      const piece = byName.get(name);
      const was = recorded.get(name);
      if (piece && piece.kind !== 'text') return was === undefined ? piece : { ...piece, recorded: was };
      const data = /^data:([^/]+)\/(.+)$/.exec(name);
      if (data) return { kind: 'data', table: data[1] ?? '', column: data[2] ?? '', recorded: was ?? '' };
      const file = /^file:(\w+)@(\d+)-(\d+)$/.exec(name);
      if (file) return { kind: 'file', hash: file[1] ?? '', start: Number(file[2]), end: Number(file[3]), recorded: fileSign };
      const variable = /^variable:(.+)$/.exec(name);
      return variable ? { kind: 'variable', name: variable[1] ?? '', recorded: was ?? '' } : undefined;
    },
  };
}

/** A piece as it is called in a text: by its name, and its form behind a bar. */
export function labelOf(piece: Exclude<Piece, { kind: 'text' } | { kind: 'wrap' }>, names: PieceNames): string {
  const name = names.nameOf(piece);
  return 'as' in piece && piece.as !== undefined ? `${name}|${piece.as}` : name;
}

/**
 * A template as text: a piece is `~{name}`, in a form `~{name|dd.MM.yyyy}`, a wrapping `~{base64:…}`. `~~` is a literal `~` where one stands before `~`, `{` or a
 * piece, and `~}` a literal `}` inside a wrapping; every other sign stands for itself.
 */
export function templateToText(template: Template, names: PieceNames, inside = false): string {
  return template
    .map((piece) => {
      if (piece.kind === 'wrap') return `~{${piece.encoding}:${templateToText(piece.pieces, names, true)}}`;
      if (piece.kind !== 'text') return `~{${labelOf(piece, names)}}`;
      const escaped = piece.text.replace(/~(?=[~{}]|$)/g, '~~');
      return inside ? escaped.replace(/\}/g, '~}') : escaped;
    })
    .join('');
}

const isEncoding = (text: string): text is Encoding => EncodingSchema.safeParse(text).success;

/**
 * Reads the text form of a template. `recorded` says what was recorded in a piece where it differs from what its value was first.
 * Throws `TemplateTextError` where a piece is not closed or its name is unknown.
 */
export function templateFromText(text: string, names: PieceNames, recorded: ReadonlyMap<string, string> = new Map()): Template {
  let at = 0;
  const read = (inside: boolean): Template => {
    const pieces: Piece[] = [];
    let plain = '';
    const flush = () => {
      if (plain !== '') pieces.push({ kind: 'text', text: plain });
      plain = '';
    };
    while (at < text.length) {
      if (text.startsWith('~~', at)) {
        plain += '~';
        at += 2;
      } else if (inside && text.startsWith('~}', at)) {
        plain += '}';
        at += 2;
      } else if (text.startsWith('~{', at)) {
        flush();
        pieces.push(readPiece());
      } else if (inside && text[at] === '}') break;
      else plain += text[at++] ?? '';
    }
    flush();
    return compact(pieces);
  };
  /** A piece by its name, or by its name and its form behind a bar. */
  const pieceWith = (name: string): Piece | undefined => {
    const bar = name.lastIndexOf('|');
    if (bar < 0) return names.pieceOf(name, recorded);
    const form = name.slice(bar + 1);
    const piece = names.pieceOf(name.slice(0, bar), recorded);
    if (!piece || !('recorded' in piece) || (piece.kind !== 'data' && piece.kind !== 'handoff' && piece.kind !== 'variable'))
      return names.pieceOf(name, recorded);
    const checked = ValueFormSchema.safeParse(form);
    if (!checked.success) throw new TemplateTextError(`“${form}” is no form of a value. ${checked.error.issues[0]?.message ?? ''}`, at);
    return { ...piece, as: form, recorded: recorded.get(name) ?? piece.recorded };
  };
  const readPiece = (): Piece => {
    const start = at;
    at += 2;
    const encoding = /^([a-z0-9-]+):/.exec(text.slice(at, at + 40))?.[1];
    if (encoding !== undefined && isEncoding(encoding)) {
      at += encoding.length + 1;
      const pieces = read(true);
      if (text[at] !== '}') throw new TemplateTextError('This “~{” is not closed by “}”.', start);
      at++;
      return { kind: 'wrap', encoding, pieces, recorded: encode(encoding, recordedText(pieces)) };
    }
    const end = text.indexOf('}', at);
    if (end < 0) throw new TemplateTextError('This “~{” is not closed by “}”. For the signs themselves write “~~{”.', start);
    const name = text.slice(at, end);
    const piece = pieceWith(name);
    if (!piece)
      throw new TemplateTextError(
        `Nothing is called “${name}”. Name a handoff or a client-made value of this script, or data:table/column.`,
        start,
      );
    at = end + 1;
    return piece;
  };
  return read(false);
}
