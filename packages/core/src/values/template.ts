import type { Piece, Template } from './template.schema.js';

/** What stands for the bytes of a file in a recorded text (U+FFFC, object replacement character). */
export const fileSign = '\uFFFC';

/** The text as it stood in the take. */
export const recordedText = (template: Template): string => template.map(recordedOf).join('');

export const recordedOf = (piece: Piece): string => (piece.kind === 'text' ? piece.text : piece.recorded);

/** Joins neighbouring texts and drops empty ones. */
export function compact(template: Template): Template {
  const joined: Piece[] = [];
  for (const piece of template) {
    const last = joined.at(-1);
    if (piece.kind === 'text' && last?.kind === 'text') joined[joined.length - 1] = { kind: 'text', text: last.text + piece.text };
    else if (piece.kind !== 'text' || piece.text !== '') joined.push(piece);
  }
  return joined;
}

/** A piece whose text is another on each replay. */
export type MovingPiece = Exclude<Piece, { kind: 'text' } | { kind: 'wrap' } | { kind: 'file' }>;

/** True where nothing of the template moves. */
export const isStill = (template: Template): boolean => movingPieces(template).next().done === true;

/** Every moving piece of a template, those inside wrappings too. */
export function* movingPieces(template: Template): Generator<MovingPiece> {
  for (const piece of template) {
    if (piece.kind === 'wrap') yield* movingPieces(piece.pieces);
    else if (piece.kind !== 'text' && piece.kind !== 'file') yield piece;
  }
}

/** Replaces moving pieces: `change` gives the new piece, or undefined to keep the old one. */
export function mapPieces(template: Template, change: (piece: Piece) => Piece | undefined): Template {
  return compact(
    template.map((piece) =>
      piece.kind === 'wrap' ? unwrapPlain({ ...piece, pieces: mapPieces(piece.pieces, change) }) : (change(piece) ?? piece),
    ),
  );
}

/** A wrapping without a moving part is plain text again, exactly as recorded. */
function unwrapPlain(piece: Extract<Piece, { kind: 'wrap' }>): Piece {
  return piece.pieces.every((inner) => inner.kind === 'text') ? { kind: 'text', text: piece.recorded } : piece;
}
