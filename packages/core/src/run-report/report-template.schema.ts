import * as z from 'zod';

/** Sections of a report, in the order in which they come by themselves. */
export const reportSections = [
  'verdict',
  'findings',
  'text',
  'trust',
  'transactions',
  'charts',
  'comparison',
  'trend',
  'baseline',
  'failures',
  'hosts',
  'setting',
  'brief',
  'definitions',
] as const;
export type ReportSection = (typeof reportSections)[number];

export const sectionNames: Readonly<Record<ReportSection, string>> = {
  verdict: 'Verdict',
  findings: 'What the run shows',
  text: 'Words of your own',
  trust: 'Can the figures be trusted',
  transactions: 'Transactions',
  charts: 'Course of the run',
  comparison: 'Against another run',
  trend: 'Over all runs of this workload',
  baseline: 'Against one user alone',
  failures: 'Failures',
  hosts: 'Hosts',
  setting: 'What was played',
  brief: 'What “good” is, and who agreed',
  definitions: 'How the figures are defined',
};

/** What a report holds, in which order, and the words around it. */
export const ReportTemplateSchema = z.object({
  id: z.string().max(64),
  name: z.string().trim().min(1, 'Give the template a name.').max(80),
  title: z.string().max(200).default(''),
  /** Below the title. */
  introduction: z.string().max(10_000).default(''),
  /** An image as a data URI. */
  logo: z
    .string()
    .max(700_000, 'The logo is larger than 500 kB. Choose a smaller one.')
    .regex(/^data:image\/(png|jpeg);base64,[A-Za-z0-9+/=]+$/, 'A logo is a PNG or a JPEG.')
    .nullable()
    .default(null),
  /** Texts of one’s own have words; figures stand in them as ~{p95 Book intake} and the like. */
  sections: z
    .array(z.object({ kind: z.enum(reportSections), title: z.string().max(200).default(''), text: z.string().max(20_000).default('') }))
    .max(60),
});
export type ReportTemplate = z.infer<typeof ReportTemplateSchema>;

/** A template as a file: a member that nobody knows is told, and it needs no id. */
export const ReportFileSchema = z.strictObject(ReportTemplateSchema.shape).extend({
  id: z.string().max(64).default('file'),
  name: z.string().trim().min(1).max(80).default('File'),
});

/** The template with which everybody begins: all that there is to say. */
export const plainTemplate: ReportTemplate = ReportTemplateSchema.parse({
  id: 'plain',
  name: 'Everything',
  sections: reportSections.filter((kind) => kind !== 'text').map((kind) => ({ kind })),
});

/** A page for those who decide. */
export const shortTemplate: ReportTemplate = ReportTemplateSchema.parse({
  id: 'short',
  name: 'For those who decide',
  sections: (['verdict', 'findings', 'trust', 'comparison'] as const).map((kind) => ({ kind })),
});
