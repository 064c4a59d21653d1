import { cellText, type Block, type ReportDocument } from '@sturdy/core';
import {
  AlignmentType,
  Document,
  Footer,
  HeadingLevel,
  ImageRun,
  Packer,
  PageNumber,
  Paragraph,
  Table,
  TableCell,
  TableOfContents,
  TableRow,
  TextRun,
  WidthType,
  type FileChild,
  type IRunOptions,
} from 'docx';
import { drawPicture } from './draw-picture.js';

const soft = '4A5363';
const tones = { plain: {}, good: { color: '086660' }, bad: { color: '8F1F1B' }, care: { color: '705000' }, soft: { color: soft } } as const;
/** Width of the text on A4, in pixels at 96 an inch. */
const textWidth = 640;

const run = (options: IRunOptions): TextRun => new TextRun(options);

/** A document as DOCX (ECMA-376) with contents, page numbers and drawings, which older programs show as pictures. */
export async function writeDocx(document: ReportDocument): Promise<Uint8Array> {
  const { title, subtitle, facts, logo, blocks } = document;
  const children: FileChild[] = [
    ...(logo === null ? [] : [await logoOf(logo)]),
    new Paragraph({ text: title, heading: HeadingLevel.TITLE }),
    ...(subtitle === '' ? [] : [new Paragraph({ children: [run({ text: subtitle, color: soft })] })]),
    ...facts.map(({ name, value }) => new Paragraph({ children: [run({ text: `${name}: `, color: soft }), new TextRun(value)] })),
  ];
  if (blocks.filter((block) => block.kind === 'heading').length > 2)
    children.push(new TableOfContents('Contents', { hyperlink: true, headingStyleRange: '1-2' }));
  for (const block of blocks) children.push(...(await childrenOf(block)));
  const file = new Document({
    title,
    description: subtitle,
    creator: 'Sturdy Puppet',
    // Programs ask before they fill the contents; without it they stay empty.
    features: { updateFields: true },
    styles: { default: { document: { run: { font: 'Calibri', size: 21 } } } },
    sections: [
      {
        properties: { page: { margin: { top: 1000, bottom: 1000, left: 1100, right: 1100 } } },
        footers: {
          default: new Footer({
            children: [
              new Paragraph({
                alignment: AlignmentType.RIGHT,
                children: [run({ children: ['page ', PageNumber.CURRENT, ' of ', PageNumber.TOTAL_PAGES], color: soft, size: 16 })],
              }),
            ],
          }),
        },
        children,
      },
    ],
  });
  return new Uint8Array(await Packer.toBuffer(file));
}

/** A logo of whatever size and kind, fitted into a picture of one size: the file wants to know how large it is. */
async function logoOf(logo: string): Promise<Paragraph> {
  const size = { width: 160, height: 48 };
  const fitted = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 160 48"><image href="${logo}" width="160" height="48" preserveAspectRatio="xMinYMid"/></svg>`;
  return new Paragraph({
    children: [new ImageRun({ type: 'png', data: await drawPicture(fitted, 4 * size.width), transformation: size })],
  });
}

async function childrenOf(block: Block): Promise<FileChild[]> {
  switch (block.kind) {
    case 'heading':
      return [
        new Paragraph({ text: block.text, heading: block.level === 1 ? HeadingLevel.HEADING_1 : HeadingLevel.HEADING_2, keepNext: true }),
      ];
    case 'text':
      return [new Paragraph({ spacing: { after: 80 }, children: [run({ text: block.text, ...tones[block.tone] })] })];
    case 'list':
      return block.items.map((item) => new Paragraph({ text: item, bullet: { level: 0 } }));
    case 'table': {
      const cell = (text: string, column: number, isHead: boolean) =>
        new TableCell({
          margins: { left: 60, right: 60, top: 30, bottom: 30 },
          children: [
            new Paragraph({
              alignment: block.columns[column]?.isNumber === true ? AlignmentType.RIGHT : AlignmentType.LEFT,
              children: [run({ text, bold: isHead, size: block.columns.length > 7 ? 15 : 18, ...(isHead ? { color: soft } : {}) })],
            }),
          ],
        });
      return [
        new Paragraph({
          spacing: { before: 160, after: 60 },
          keepNext: true,
          children: [run({ text: block.caption, bold: true })],
        }),
        new Table({
          width: { size: 100, type: WidthType.PERCENTAGE },
          rows: [
            new TableRow({
              tableHeader: true,
              cantSplit: true,
              children: block.columns.map(({ name }, column) => cell(name, column, true)),
            }),
            ...block.rows.map(
              (row) => new TableRow({ cantSplit: true, children: row.map((value, column) => cell(cellText(value), column, false)) }),
            ),
          ],
        }),
      ];
    }
    case 'figure': {
      const scale = Math.min(1, textWidth / block.width);
      const size = { width: Math.round(block.width * scale), height: Math.round(block.height * scale) };
      const fallback = await drawPicture(block.svg, 2 * size.width);
      return [
        new Paragraph({
          keepNext: true,
          children: [
            new ImageRun({
              type: 'svg',
              data: Buffer.from(block.svg),
              transformation: size,
              fallback: { type: 'png', data: fallback },
              altText: { name: block.caption, title: block.caption, description: block.caption },
            }),
          ],
        }),
        new Paragraph({ spacing: { after: 120 }, children: [run({ text: block.caption, color: soft, size: 18 })] }),
      ];
    }
  }
}
