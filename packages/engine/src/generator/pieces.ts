/** Characters in a piece of a long message: message brokers carry 1 MB at most, and a lost piece is soon sent again. */
const pieceLength = 256 * 1024;

/** A piece of a long text, from 0. */
export interface Piece {
  at: number;
  count: number;
  text: string;
}

/** Cuts a text into pieces; an empty one is one piece. */
export function piecesOf(text: string): Piece[] {
  const count = Math.max(1, Math.ceil(text.length / pieceLength));
  return Array.from({ length: count }, (_, at) => ({ at, count, text: text.slice(at * pieceLength, (at + 1) * pieceLength) }));
}

/** Collects the pieces of one text, in whatever order they come. */
export class Pieces {
  readonly #texts = new Map<number, string>();

  /** Takes in a piece. Returns the whole text with the last one, and null before. */
  take({ at, count, text }: Piece): string | null {
    this.#texts.set(at, text);
    if (this.#texts.size < count) return null;
    return Array.from({ length: count }, (_, index) => this.#texts.get(index) ?? '').join('');
  }
}
