import * as z from 'zod';
import { type Checked, type CheckKindName } from '../../check/check.schema.js';
import { ComparisonSchema } from '../../check/comparison.js';
import { ExtractorSchema } from '../../extractors/extractor.schema.js';
import type { Template } from '../../values/template.schema.js';

/** Writes a template of a step as text. */
export type WriteTemplate = (template: Template) => string;
/** Reads a template that stands under a key of the check. */
export type ReadTemplate = (text: string, key: string) => Template;

const limits = { atLeast: z.number().int().nonnegative().optional(), atMost: z.number().int().nonnegative().nullable().optional() };

/** The text form of a kind of check: the members that stand with its id and what its failure does. The first key says what it looks at. */
interface CheckTextForm<Kind extends CheckKindName, Shapes extends readonly z.ZodObject[]> {
  shapes: Shapes;
  write: (checked: Extract<Checked, { kind: Kind }>, text: WriteTemplate) => z.infer<Shapes[number]>;
  read: (text: z.infer<Shapes[number]>, template: ReadTemplate) => Extract<Checked, { kind: Kind }>;
}
const form = <Kind extends CheckKindName, const Shapes extends readonly z.ZodObject[]>(
  _kind: Kind,
  checkTextForm: CheckTextForm<Kind, Shapes>,
): CheckTextForm<Kind, Shapes> => checkTextForm;

/** The text forms of all kinds of checks. */
export const checkTexts = {
  text: form('text', {
    shapes: [
      z.strictObject({ has: z.string().describe('a text that the answer holds') }),
      z.strictObject({ lacks: z.string().describe('a text that the answer does not hold') }),
    ],
    write: (checked, text) => (checked.present ? { has: text(checked.text) } : { lacks: text(checked.text) }),
    read: (text, template) =>
      'has' in text
        ? { kind: 'text', text: template(text.has, 'has'), present: true }
        : { kind: 'text', text: template(text.lacks, 'lacks'), present: false },
  }),
  value: form('value', {
    shapes: [z.strictObject({ value: ExtractorSchema, is: ComparisonSchema, than: z.string().optional() })],
    write: ({ extractor, is, than }, text) => ({ value: extractor, is, ...(than.length === 0 ? {} : { than: text(than) }) }),
    read: ({ value, is, than }, template) => ({ kind: 'value', extractor: value, is, than: template(than ?? '', 'than') }),
  }),
  count: form('count', {
    shapes: [z.strictObject({ count: ExtractorSchema, ...limits })],
    write: ({ extractor, atLeast, atMost }) => ({ count: extractor, atLeast, atMost }),
    read: ({ count, atLeast, atMost }) => ({ kind: 'count', extractor: count, atLeast: atLeast ?? 0, atMost: atMost ?? null }),
  }),
  status: form('status', {
    shapes: [z.strictObject({ status: z.array(z.number().int().min(100).max(599)).min(1) })],
    write: ({ statuses }) => ({ status: statuses }),
    read: ({ status }) => ({ kind: 'status', statuses: status }),
  }),
  redirect: form('redirect', {
    shapes: [z.strictObject({ redirect: z.string().describe('a text in the address that a redirect leads to') })],
    write: ({ to }, text) => ({ redirect: text(to) }),
    read: ({ redirect }, template) => ({ kind: 'redirect', to: template(redirect, 'redirect') }),
  }),
  size: form('size', {
    shapes: [z.strictObject({ size: z.strictObject(limits).describe('bytes') })],
    write: ({ atLeast, atMost }) => ({ size: { atLeast, atMost } }),
    read: ({ size }) => ({ kind: 'size', atLeast: size.atLeast ?? 0, atMost: size.atMost ?? null }),
  }),
  time: form('time', {
    shapes: [z.strictObject({ time: z.number().positive().describe('ms at most') })],
    write: ({ atMostMs }) => ({ time: atMostMs }),
    read: ({ time }) => ({ kind: 'time', atMostMs: time }),
  }),
} satisfies { [Kind in CheckKindName]: unknown };

type Forms = typeof checkTexts;
/** What a check looks at, as text. */
export type CheckedText = z.infer<Forms[CheckKindName]['shapes'][number]>;

/** The form of a kind. Only what it wrote, or what one of its shapes has let through, is given to it. */
interface AnyForm {
  shapes: readonly z.ZodObject[];
  write(checked: Checked, text: WriteTemplate): CheckedText;
  read(text: CheckedText, template: ReadTemplate): Checked;
}
const forms: readonly AnyForm[] = Object.values(checkTexts);

/** All shapes in which a check may be written, in the order of their kinds; there is at least one. */
export const checkedShapes = forms.flatMap(({ shapes }) => shapes) as [
  Forms[CheckKindName]['shapes'][number],
  ...Forms[CheckKindName]['shapes'][number][],
];

/** Writes what a check looks at. */
export const writeChecked = (checked: Checked, text: WriteTemplate): CheckedText => {
  const checkText: AnyForm = checkTexts[checked.kind];
  return checkText.write(checked, text);
};

/** Reads what a check looks at: the kind is the one whose first key it has. Throws where it has none. */
export function readChecked(text: CheckedText, template: ReadTemplate): Checked {
  const anyForm = forms.find(({ shapes }) => shapes.some(({ shape }) => (Object.keys(shape)[0] ?? '') in text));
  if (!anyForm) throw new Error(`No check has the keys ${Object.keys(text).join(', ')}.`);
  return anyForm.read(text, template);
}
