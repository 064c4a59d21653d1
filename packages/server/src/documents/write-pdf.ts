import { cellText, type Block, type ReportDocument } from '@sturdy/core';
import pdfmake from 'pdfmake';
import type { Content, TableCell, TDocumentDefinitions } from 'pdfmake/interfaces.js';
import { fontFiles, reportFont, withReportFont } from './report-fonts.js';

const soft = '#4a5363';
const tones = {
  plain: {},
  good: { color: '#086660' },
  bad: { color: '#8f1f1b' },
  care: { color: '#705000' },
  soft: { color: soft },
} as const;
/** Width of the text on A4, in points. */
const textWidth = 515;
/** A drawing, its caption and a heading above it have to stand on one page. */
const mostHeight = 640;
/** A table of more columns than this is printed smaller, so that it fits. */
const mostColumns = 7;

/** A document as PDF (ISO 32000), A4, with contents and page numbers; drawings stay drawings. */
export async function writePdf(document: ReportDocument): Promise<Uint8Array> {
  const { title, subtitle, facts, logo, blocks } = document;
  const definition: TDocumentDefinitions = {
    info: { title, subject: subtitle, creator: 'Sturdy Puppet' },
    language: 'en',
    pageSize: 'A4',
    pageMargins: [40, 48, 40, 48],
    defaultStyle: { font: reportFont, fontSize: 9.5, lineHeight: 1.25 },
    styles: {
      title: { fontSize: 21, bold: true, margin: [0, 0, 0, 2] },
      section: { fontSize: 15, bold: true, margin: [0, 18, 0, 6] },
      part: { fontSize: 11.5, bold: true, margin: [0, 10, 0, 4] },
    },
    footer: (page, pages) => ({
      columns: [
        { text: title, color: soft, fontSize: 8 },
        { text: `page ${page} of ${pages}`, alignment: 'right', color: soft, fontSize: 8, width: 'auto' },
      ],
      margin: [40, 14, 40, 0],
    }),
    content: [
      ...(logo === null ? [] : [{ image: logo, fit: [160, 48], margin: [0, 0, 0, 10] } satisfies Content]),
      { text: title, style: 'title', headlineLevel: 1 },
      { text: subtitle, color: soft, margin: [0, 0, 0, 8] },
      ...facts.map(({ name, value }): Content => ({ text: [{ text: `${name}: `, color: soft }, value] })),
      ...(blocks.filter((block) => block.kind === 'heading').length > 2
        ? [{ toc: { title: { text: 'Contents', style: 'part' }, numberStyle: { color: soft } } } satisfies Content]
        : []),
      ...withHeadings(blocks),
    ],
    // A heading at the foot of a page goes with what follows it.
    pageBreakBefore: (node, around) => node.headlineLevel !== undefined && around.getFollowingNodesOnPage().length === 0,
  };
  pdfmake.setFonts({ [reportFont]: fontFiles() });
  // Nothing that a document names is fetched or read but the fonts.
  const fonts = new Set<string>(Object.values(fontFiles()));
  pdfmake.setUrlAccessPolicy(() => false);
  pdfmake.setLocalAccessPolicy((path) => fonts.has(path));
  return new Uint8Array(await pdfmake.createPdf(definition).getBuffer());
}

/** The blocks; a heading and the drawing below it stay on one page. */
function withHeadings(blocks: readonly Block[]): Content[] {
  return blocks.flatMap((block, at): Content[] => {
    const [before, next] = [blocks[at - 1], blocks[at + 1]];
    if (block.kind === 'figure' && before?.kind === 'heading') return [];
    return block.kind === 'heading' && next?.kind === 'figure'
      ? [{ stack: [contentOf(block), contentOf(next)], unbreakable: true }]
      : [contentOf(block)];
  });
}

function contentOf(block: Block): Content {
  switch (block.kind) {
    case 'heading':
      return { text: block.text, style: block.level === 1 ? 'section' : 'part', tocItem: block.level === 1, headlineLevel: block.level };
    case 'text':
      return { text: block.text, margin: [0, 0, 0, 4], ...tones[block.tone] };
    case 'list':
      // The library writes into what it is given.
      return { ul: [...block.items], margin: [0, 0, 0, 6] };
    case 'table': {
      const alignment = (column: number) => (block.columns[column]?.isNumber === true ? 'right' : 'left');
      const isWide = block.columns.length > mostColumns;
      const head = block.columns.map(({ name }, column): TableCell => ({
        text: name,
        bold: true,
        color: soft,
        alignment: alignment(column),
      }));
      const rows = block.rows.map((row) => row.map((cell, column): TableCell => ({ text: cellText(cell), alignment: alignment(column) })));
      return {
        stack: [
          { text: block.caption, bold: true, margin: [0, 6, 0, 3], headlineLevel: 3 },
          {
            table: {
              headerRows: 1,
              dontBreakRows: true,
              keepWithHeaderRows: 1,
              widths: block.columns.map(({ isNumber }) => (isNumber ? 'auto' : '*')),
              body: [head, ...rows],
            },
            layout: {
              hLineWidth: (line) => (line === 0 ? 0 : 0.5),
              vLineWidth: () => 0,
              hLineColor: () => '#cfc7b8',
              paddingLeft: () => 3,
              paddingRight: () => 3,
            },
            ...(isWide ? { fontSize: 7.5 } : {}),
          },
        ],
        margin: [0, 0, 0, 10],
      };
    }
    case 'figure': {
      const width = Math.min(textWidth, block.width);
      return {
        stack: [
          { svg: withReportFont(block.svg), fit: [width, mostHeight] },
          { text: block.caption, color: soft, fontSize: 8.5 },
        ],
        unbreakable: true,
        margin: [0, 4, 0, 10],
      };
    }
  }
}
