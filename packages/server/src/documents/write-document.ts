import { htmlOf, markdownOf, type ReportDocument } from '@sturdy/core';

/** Formats of a document, by the endings of their files. */
export const documentEndings = ['pdf', 'docx', 'html', 'md', 'xlsx', 'csv'] as const;
export type DocumentFormat = (typeof documentEndings)[number];

/** A document as a file of a format. What writes each format is large, so it is loaded when somebody wants it. */
export async function writeDocument(document: ReportDocument, format: DocumentFormat): Promise<Uint8Array> {
  switch (format) {
    case 'html':
      return Buffer.from(htmlOf(document));
    case 'md':
      return Buffer.from(markdownOf(document));
    case 'pdf':
      return (await import('./write-pdf.js')).writePdf(document);
    case 'docx':
      return (await import('./write-docx.js')).writeDocx(document);
    case 'xlsx':
      return (await import('./write-workbook.js')).writeWorkbook(document);
    case 'csv':
      return Buffer.from((await import('./write-workbook.js')).writeTablesCsv(document));
  }
}
