import * as z from 'zod';
import { DocumentSchema } from '../document/document.schema.js';

/** A report as it was issued: nothing of it changes any more. */
export const IssuedReportSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  runId: z.string(),
  /** Number of the run, as people call it. */
  run: z.number().int(),
  issuedAt: z.string(),
  by: z.string(),
  document: DocumentSchema,
});
export type IssuedReport = z.infer<typeof IssuedReportSchema>;

/** A report in a list. */
export const ListedReportSchema = IssuedReportSchema.omit({ document: true }).extend({ title: z.string() });
export type ListedReport = z.infer<typeof ListedReportSchema>;
