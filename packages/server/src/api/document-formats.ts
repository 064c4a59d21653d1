import { htmlOf, markdownOf, type ReportDocument } from '@sturdy/core';
import type { Compute } from '../compute/tasks.js';

/** Formats of a document by the ending of their files: what they are on the wire. */
export const documentFormats = {
  pdf: 'application/pdf',
  docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  html: 'text/html',
  md: 'text/markdown',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  csv: 'text/csv',
} as const;
export type DocumentFormat = keyof typeof documentFormats;
export const documentFormatNames = Object.keys(documentFormats) as [DocumentFormat, ...DocumentFormat[]];

/** A document as a file of a format. */
export async function writeDocument(compute: Compute, document: ReportDocument, format: DocumentFormat): Promise<Uint8Array> {
  if (format === 'html') return Buffer.from(htmlOf(document));
  if (format === 'md') return Buffer.from(markdownOf(document));
  return compute.writeDocument(document, format);
}
