import * as z from 'zod';
import { ValueFormSchema } from './value-form.js';

/**
 * How a text is wrapped where it stands: `form` and `percent` after the WHATWG URL standard and RFC 3986, `component` and
 * `component-plus` as page scripts do it (ECMA-262 encodeURIComponent, blanks as `+`), `form-lower` with small hex digits,
 * base64, base64url and hex after RFC 4648, `utf8` a text as the bytes of a body. What follows `utf8` cannot be taken off again:
 * another case, separators left out, and digests (RFC 1321, FIPS 180-4) of the text in it.
 */
export const EncodingSchema = z.enum([
  'form',
  'form-lower',
  'percent',
  'component',
  'component-plus',
  'json',
  'xml',
  'base64',
  'base64url',
  'hex',
  'utf8',
  'upper',
  'lower',
  'bare',
  'md5',
  'sha1',
  'sha256',
  'sha512',
  'sha1-base64',
  'sha256-base64',
  'sha256-base64url',
]);
export type Encoding = z.infer<typeof EncodingSchema>;

const recorded = { recorded: z.string() };
const written = { as: ValueFormSchema.optional(), ...recorded };

/**
 * A part of a text. Those that move know what was recorded in their place; `as` says in which form a value is written. A `file` is a run of bytes of a stored body that is no
 * text, such as an uploaded picture in a multipart body; one sign stands for it in the recorded text.
 */
export type Piece =
  | { kind: 'text'; text: string }
  | { kind: 'handoff'; handoff: string; as?: string | undefined; recorded: string }
  | { kind: 'data'; table: string; column: string; as?: string | undefined; recorded: string }
  | { kind: 'made'; made: string; recorded: string }
  | { kind: 'variable'; name: string; as?: string | undefined; recorded: string }
  | { kind: 'file'; hash: string; start: number; end: number; recorded: string }
  | { kind: 'wrap'; encoding: Encoding; pieces: Piece[]; recorded: string };

export const PieceSchema: z.ZodType<Piece> = z.lazy(() =>
  z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('text'), text: z.string() }),
    z.object({ kind: z.literal('handoff'), handoff: z.string(), ...written }),
    z.object({ kind: z.literal('data'), table: z.string(), column: z.string(), ...written }),
    z.object({ kind: z.literal('made'), made: z.string(), ...recorded }),
    z.object({ kind: z.literal('variable'), name: z.string(), ...written }),
    z.object({ kind: z.literal('file'), hash: z.string(), start: z.number().int(), end: z.number().int(), ...recorded }),
    z.object({ kind: z.literal('wrap'), encoding: EncodingSchema, pieces: z.array(PieceSchema), ...recorded }),
  ]),
);

/** A text with moving parts. */
export const TemplateSchema = z.array(PieceSchema);
export type Template = Piece[];
