import * as z from 'zod';

/** What a cell of a table holds: a text, a number with its digits after the point, or nothing. */
export const CellSchema = z.union([z.string(), z.object({ number: z.number(), digits: z.number().int().min(0).max(6) }), z.null()]);
export type Cell = z.infer<typeof CellSchema>;

/** A column of a table. */
export const DocumentColumnSchema = z.object({ name: z.string(), isNumber: z.boolean().default(false) });

/** A piece of a document. */
export const BlockSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('heading'), level: z.union([z.literal(1), z.literal(2)]), text: z.string() }),
  /** `tone` sets a verdict apart by a word, never by colour alone. */
  z.object({ kind: z.literal('text'), text: z.string(), tone: z.enum(['plain', 'good', 'bad', 'care', 'soft']).default('plain') }),
  z.object({ kind: z.literal('list'), items: z.array(z.string()) }),
  z.object({
    kind: z.literal('table'),
    /** Names it, for contents and for readers who cannot see it. */
    caption: z.string(),
    columns: z.array(DocumentColumnSchema),
    rows: z.array(z.array(CellSchema)),
  }),
  z.object({ kind: z.literal('figure'), svg: z.string(), caption: z.string(), width: z.number(), height: z.number() }),
]);
export type Block = z.infer<typeof BlockSchema>;

/** A document before it has a format: what PDF, DOCX, HTML, Markdown and the others are made from, so that all of them say the same. */
export const DocumentSchema = z.object({
  title: z.string(),
  subtitle: z.string(),
  /** Lines below the title: of what, when, by whom. */
  facts: z.array(z.object({ name: z.string(), value: z.string() })),
  /** An image as a data URI; null for none. */
  logo: z.string().nullable(),
  blocks: z.array(BlockSchema),
});
export type ReportDocument = z.infer<typeof DocumentSchema>;

/** A cell as text. */
export const cellText = (cell: Cell): string =>
  cell === null
    ? ''
    : typeof cell === 'string'
      ? cell
      : cell.number.toLocaleString('en', { minimumFractionDigits: cell.digits, maximumFractionDigits: cell.digits });

export const numberCell = (number: number | null | undefined, digits = 0): Cell =>
  number == null || !Number.isFinite(number) ? null : { number, digits };
