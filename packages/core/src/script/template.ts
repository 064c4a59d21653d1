import type { Encoding, Piece, Template } from './script.schema.js';

/** Percent-encodes what RFC 3986 does not leave unreserved. */
const percent = (text: string) =>
  encodeURIComponent(text).replace(/[!'()*]/g, (sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`);

const xmlNames: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&apos;' };

function toBase64(text: string): string {
  let binary = '';
  for (const byte of new TextEncoder().encode(text)) binary += String.fromCharCode(byte);
  return btoa(binary);
}

/** Wraps a value as its place demands. */
export function encode(encoding: Encoding, text: string): string {
  switch (encoding) {
    case 'form':
      // application/x-www-form-urlencoded of the WHATWG URL standard: * - . _ stay, space becomes +.
      return percent(text).replace(/%20/g, '+').replace(/~/g, '%7E').replace(/%2A/g, '*');
    case 'percent':
      return percent(text);
    case 'json':
      return JSON.stringify(text).slice(1, -1);
    case 'xml':
      return text.replace(/[&<>"']/g, (sign) => xmlNames[sign] ?? sign);
    case 'base64':
      return toBase64(text);
  }
}

/** Takes the wrapping off; undefined where the text is not validly wrapped so. */
export function decode(encoding: Encoding, text: string): string | undefined {
  try {
    switch (encoding) {
      case 'form':
        return decodeURIComponent(text.replace(/\+/g, ' '));
      case 'percent':
        return decodeURIComponent(text);
      case 'json':
        return JSON.parse(`"${text}"`) as string;
      case 'xml':
        return text.replace(/&(?:#(\d+)|#x([0-9a-f]+)|(amp|lt|gt|quot|apos));/gi, (_, decimal, hex, name: string) =>
          decimal
            ? String.fromCodePoint(Number(decimal))
            : hex
              ? String.fromCodePoint(parseInt(String(hex), 16))
              : ({ amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" }[name.toLowerCase()] ?? ''),
        );
      case 'base64': {
        if (!/^[A-Za-z0-9+/]{4,}={0,2}$/.test(text)) return undefined;
        const bytes = Uint8Array.from(atob(text), (sign) => sign.charCodeAt(0));
        return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
      }
    }
  } catch {
    return undefined;
  }
}

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

/** Every moving piece of a template, those inside wrappings too. */
export function* movingPieces(template: Template): Generator<Exclude<Piece, { kind: 'text' } | { kind: 'wrap' }>> {
  for (const piece of template) {
    if (piece.kind === 'wrap') yield* movingPieces(piece.pieces);
    else if (piece.kind !== 'text') yield piece;
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
