import { cellText, type Block, type ReportDocument } from './document.schema.js';

/** A document as Markdown (CommonMark 0.31, with tables as GitHub Flavored Markdown 0.29 has them). Figures stand in it as SVG data URIs. */
export function markdownOf({ title, subtitle, facts, blocks }: ReportDocument): string {
  const parts = [
    `# ${plain(title)}`,
    ...(subtitle === '' ? [] : [plain(subtitle)]),
    facts.map(({ name, value }) => `- **${plain(name)}:** ${plain(value)}`).join('\n'),
    ...blocks.map(blockOf),
  ];
  return `${parts.filter((part) => part !== '').join('\n\n')}\n`;
}

function blockOf(block: Block): string {
  switch (block.kind) {
    case 'heading':
      return `${'#'.repeat(block.level + 1)} ${plain(block.text)}`;
    case 'text':
      return block.tone === 'soft' ? `_${plain(block.text)}_` : plain(block.text);
    case 'list':
      return block.items.map((item) => `- ${plain(item)}`).join('\n');
    case 'table': {
      const line = (cells: readonly string[]) => `| ${cells.join(' | ')} |`;
      return [
        `**${plain(block.caption)}**`,
        '',
        line(block.columns.map(({ name }) => plain(name))),
        line(block.columns.map(({ isNumber }) => (isNumber ? '---:' : '---'))),
        ...block.rows.map((row) => line(row.map((cell) => plain(cellText(cell))))),
      ].join('\n');
    }
    case 'figure':
      return `![${plain(block.caption)}](data:image/svg+xml;base64,${base64(block.svg)})`;
  }
}

/** Text in which nothing is taken for a sign of Markdown, on one line. */
const plain = (text: string): string => text.replace(/\s*\n\s*/g, ' ').replace(/[\\`*_[\]<>|#~]/g, '\\$&');

function base64(text: string): string {
  let bytes = '';
  for (const byte of new TextEncoder().encode(text)) bytes += String.fromCharCode(byte);
  return btoa(bytes);
}
