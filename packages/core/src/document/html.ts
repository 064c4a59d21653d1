import { cellText, type Block, type ReportDocument } from './document.schema.js';

const style = `:root{color-scheme:light}body{font:15px/1.5 "Figtree Variable",Figtree,system-ui,sans-serif;color:#1d2430;background:#fff;max-width:1040px;margin:0 auto;padding:32px 24px}
h1{font-size:28px;margin:0 0 4px}h2{font-size:20px;margin:34px 0 10px;border-bottom:1px solid #e4ddd1;padding-bottom:4px}h3{font-size:16px;margin:22px 0 8px}
dl{display:grid;grid-template-columns:max-content 1fr;gap:2px 16px;margin:12px 0}dt{color:#4a5363}dd{margin:0}.soft{color:#4a5363}
.good,.bad,.care{border-left:4px solid;padding:2px 0 2px 12px}.good{border-color:#0b7a75}.bad{border-color:#a12622}.care{border-color:#8a6100}
table{border-collapse:collapse;width:100%;font-size:13.5px;margin:8px 0 18px}caption{text-align:left;font-weight:600;padding:6px 0}th,td{border-bottom:1px solid #e4ddd1;padding:5px 8px;text-align:left;vertical-align:top}
th{color:#4a5363}.num{text-align:right;font-variant-numeric:tabular-nums;white-space:nowrap}figure{margin:14px 0}figcaption{color:#4a5363;font-size:13px}svg{max-width:100%;height:auto}.scroll{overflow-x:auto}nav ol{columns:2}
@media print{h2{break-after:avoid}tr,figure{break-inside:avoid}thead{display:table-header-group}body{padding:0}}`;

/**
 * A document as one HTML file (HTML Living Standard) that needs nothing else: style and figures stand in it. `nonce` lets its style through where a page of a
 * strict content security policy shows it.
 */
export function htmlOf({ title, subtitle, facts, logo, blocks }: ReportDocument, nonce = ''): string {
  const headings = blocks.flatMap((block, at) => (block.kind === 'heading' && block.level === 1 ? [{ at, text: block.text }] : []));
  const contents =
    headings.length < 2
      ? ''
      : `<nav aria-label="Contents"><ol>${headings.map(({ at, text }) => `<li><a href="#s${at}">${escaped(text)}</a></li>`).join('')}</ol></nav>`;
  return `<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escaped(title)}</title>
<style${nonce === '' ? '' : ` nonce="${escaped(nonce)}"`}>${style}</style>
</head>
<body>
<header>${logo === null ? '' : `<img src="${escaped(logo)}" alt="" height="48">`}<h1>${escaped(title)}</h1>${subtitle === '' ? '' : `<p class="soft">${escaped(subtitle)}</p>`}
<dl>${facts.map(({ name, value }) => `<dt>${escaped(name)}</dt><dd>${linked(value)}</dd>`).join('')}</dl></header>
${contents}
<main>
${blocks.map(blockOf).join('\n')}
</main>
</body>
</html>
`;
}

/** A fact that is an address and nothing else leads there. */
const linked = (value: string): string =>
  /^https?:\/\/[^\s"'<>]+$/.test(value) ? `<a href="${escaped(value)}">${escaped(value)}</a>` : escaped(value);

function blockOf(block: Block, at: number): string {
  switch (block.kind) {
    case 'heading':
      return `<h${block.level + 1} id="s${at}">${escaped(block.text)}</h${block.level + 1}>`;
    case 'text':
      return `<p${block.tone === 'plain' ? '' : ` class="${block.tone}"`}>${escaped(block.text)}</p>`;
    case 'list':
      return `<ul>${block.items.map((item) => `<li>${escaped(item)}</li>`).join('')}</ul>`;
    case 'table': {
      const kind = (column: number) => (block.columns[column]?.isNumber === true ? ' class="num"' : '');
      return `<div class="scroll"><table><caption>${escaped(block.caption)}</caption><thead><tr>${block.columns.map(({ name }, column) => `<th scope="col"${kind(column)}>${escaped(name)}</th>`).join('')}</tr></thead><tbody>${block.rows
        .map((row) => `<tr>${row.map((cell, column) => `<td${kind(column)}>${escaped(cellText(cell))}</td>`).join('')}</tr>`)
        .join('')}</tbody></table></div>`;
    }
    case 'figure':
      // Ids in a drawing are unique in the whole page only with a mark of its own.
      return `<figure role="group" aria-label="${escaped(block.caption)}">${block.svg.replace(/(\bid="|url\(#|href="#)/g, `$1f${at}-`)}<figcaption>${escaped(block.caption)}</figcaption></figure>`;
  }
}

const escaped = (text: string): string => text.replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`);
