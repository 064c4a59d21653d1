import * as z from 'zod';
import { iso7064Systems } from './check-digits.js';

const name = z.string().trim().min(1, 'Give the column a name.').max(60);
const whole = z.number().int();

/** A generated column. Columns that take others name them; those stand before them. */
export const GeneratedColumnSchema = z.discriminatedUnion('kind', [
  /** Numbers that go up; `width` pads them with zeros. */
  z.object({ kind: z.literal('sequence'), name, start: whole, step: whole, width: whole.min(0).max(40) }),
  z.object({ kind: z.literal('number'), name, from: z.number(), to: z.number(), decimals: whole.min(0).max(6) }),
  z.object({ kind: z.literal('guid'), name }),
  /** A day or moment between so many days from now and so many. */
  z.object({
    kind: z.literal('date'),
    name,
    fromDays: z.number(),
    toDays: z.number(),
    form: z.enum(['YYYY-MM-DD', 'DD.MM.YYYY', 'MM/DD/YYYY', 'YYYY-MM-DDThh:mm:ssZ', 'ms since 1970']),
  }),
  /** One of the texts; `weight` says how often, compared with the others. */
  z.object({
    kind: z.literal('pick'),
    name,
    from: z.array(z.object({ text: z.string(), weight: z.number().positive() })).min(1, 'Give it something to pick from.'),
  }),
  /** A container number after ISO 6346, all different. */
  z.object({ kind: z.literal('container'), name, owner: z.string() }),
  /** A GS1 number of so many digits, the last of them its check digit, all different. */
  z.object({
    kind: z.literal('gs1'),
    name,
    prefix: z.string().regex(/^\d*$/, 'Only digits.'),
    length: z.union([z.literal(8), z.literal(12), z.literal(13), z.literal(14), z.literal(18)]),
  }),
  /** A number with check characters after ISO/IEC 7064, all different. */
  z.object({ kind: z.literal('iso7064'), name, system: z.enum(iso7064Systems), prefix: z.string(), digits: whole.min(1).max(12) }),
  /** An IBAN with a bank and an account number, all different. */
  z.object({ kind: z.literal('iban'), name, country: z.string(), bank: z.string(), digits: whole.min(1).max(12) }),
  /** Words that sound like names. */
  z.object({ kind: z.literal('words'), name, count: whole.min(1).max(5) }),
  /** A text with {names of other columns} in it. */
  z.object({ kind: z.literal('joined'), name, text: z.string() }),
  z.object({ kind: z.literal('digest'), name, of: z.string(), digest: z.enum(['md5', 'sha1', 'sha256', 'sha512']) }),
]);
export type GeneratedColumn = z.infer<typeof GeneratedColumnSchema>;
