import { HtmlValidate } from 'html-validate';
import { lexer, type Tokens } from 'marked';
import { BriefSchema, briefDocument, cellText, htmlOf, markdownOf, numberCell, signBrief, type ReportDocument } from '../index.js';

const nasty = 'a | b *c* <i>d</i> `e` _f_ # g & "h"';
const document: ReportDocument = {
  title: `Verdict of ${nasty}`,
  subtitle: 'Run 4',
  facts: [{ name: 'Project', value: nasty }],
  logo: null,
  blocks: [
    { kind: 'heading', level: 1, text: 'Transactions' },
    { kind: 'text', text: nasty, tone: 'bad' },
    {
      kind: 'table',
      caption: 'Figures',
      columns: [
        { name: 'Transaction', isNumber: false },
        { name: 'Mean | ms', isNumber: true },
      ],
      rows: [
        [nasty, numberCell(1234.5, 1)],
        ['Find', null],
      ],
    },
    { kind: 'heading', level: 1, text: 'What it shows' },
    { kind: 'list', items: ['one\ntwo', nasty] },
    {
      kind: 'figure',
      svg: '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path id="tip" d="M0 0L9 9"/></svg>',
      caption: 'Lanes',
      width: 9,
      height: 9,
    },
    {
      kind: 'figure',
      svg: '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path id="tip" d="M0 0L9 9"/></svg>',
      caption: 'Hosts',
      width: 9,
      height: 9,
    },
  ],
};
/** A brief in which everything is said. */
const fullBrief = signBrief(
  BriefSchema.parse({
    title: 'Peak of the harvest',
    aims: 'Hold the peak.\n\nFind where it turns.',
    hosts: [
      { id: 'w', name: 'Web', role: 'application', technology: 'Linux', size: '4 processors' },
      { id: 'd', name: 'Database' },
    ],
    links: [{ from: 'w', to: 'd', label: 'SQL' }],
    capacityPercent: 50,
    transactions: [
      {
        id: 't',
        transaction: 'Book intake',
        ratePerHour: 900,
        peakHour: '09:00',
        meanMs: 500,
        percentile: { measure: 'p95', limitMs: 2000 },
      },
    ],
    defaultLimit: { measure: 'p90', limitMs: 3000 },
    errorPercent: 1,
    hostLimits: [{ id: 'l', figure: 'processor', limit: 70, forMinutes: 5 }],
    thinkTimes: [{ id: 'p', where: 'before booking', seconds: 12, reason: 'watched' }],
    data: [{ id: 'r', what: 'containers', rows: 5000 }],
    assumptions: [{ id: 'a', text: 'Same data' }],
    risks: [{ id: 'k', text: 'Simulated interfaces', owner: 'Per' }],
    questions: [{ id: 'q', text: 'Which release?' }],
    schedule: [{ id: 's', day: '3 December', what: 'Rehearsal' }],
  }),
  { by: 'Odile Marsh', role: 'operations', at: '2026-11-30T10:00:00Z' },
);

describe('HTML', () => {
  it.each([
    ['a document with all kinds of blocks', document],
    ['a brief in which everything is said', briefDocument(fullBrief, { project: 'Tidewell', day: '30 November 2026', sizing: [] })],
  ])('of %s is valid (html-validate, rules of the HTML standard) and accessible by its rules', async (_, written) => {
    const report = await new HtmlValidate({ extends: ['html-validate:standard', 'html-validate:a11y'] }).validateString(htmlOf(written));
    expect(report.results.flatMap(({ messages }) => messages.map(({ ruleId, message, line }) => `${ruleId} ${line}: ${message}`))).toEqual(
      [],
    );
  });

  it('shows texts as they are, and needs nothing from elsewhere', () => {
    const html = htmlOf(document);
    expect(html).toContain('a | b *c* &#60;i&#62;d&#60;/i&#62;');
    expect(html).not.toMatch(/<(script|link)|src="http|url\(http/);
    expect(html).toContain('<td class="num">1,234.5</td>');
  });
});

describe('Markdown', () => {
  it('is read back by a parser of CommonMark (marked) with the same headings, texts and cells', () => {
    const tokens = lexer(markdownOf(document));
    const plainOf = (token: Tokens.Generic | Tokens.TableCell | undefined): string => {
      const inner = token?.tokens as Tokens.Generic[] | undefined;
      return inner && inner.length > 0 ? inner.map(plainOf).join('') : ((token?.['text'] as string | undefined) ?? '');
    };
    expect(tokens.filter((token) => token.type === 'heading').map((token) => plainOf(token))).toEqual([
      document.title,
      'Transactions',
      'What it shows',
    ]);
    const table = tokens.find((token): token is Tokens.Table => token.type === 'table');
    expect(table?.header.map((cell) => plainOf(cell))).toEqual(['Transaction', 'Mean | ms']);
    expect(table?.rows.map((row) => row.map((cell) => plainOf(cell)))).toEqual([
      [nasty, '1,234.5'],
      ['Find', ''],
    ]);
    expect(table?.align).toEqual([null, 'right']);
  });
});

describe('a brief as a document', () => {
  const { blocks, title } = briefDocument(fullBrief, {
    project: 'Tidewell',
    day: '30 November 2026',
    sizing: [
      {
        scriptId: 's',
        script: 'Book intake',
        transactions: ['Book intake'],
        ratePerHour: 450,
        iterationSeconds: 20,
        pacingSeconds: 30,
        users: 4,
        reachedPerHour: 480,
        warning: null,
      },
    ],
  });

  it('has a section for each thing that is said, and none for what is not', () => {
    const headings = blocks.flatMap((block) => (block.kind === 'heading' ? [block.text] : []));
    expect([title, ...headings]).toEqual([
      'Peak of the harvest',
      'Aims',
      'The system',
      'Key transactions',
      'What “good” is',
      'Sizing',
      'Think times',
      'Data needed',
      'Assumptions',
      'Risks',
      'Open questions',
      'Schedule',
      'Signatures',
    ]);
    expect(briefDocument(BriefSchema.parse({}), { project: 'Tidewell', day: '', sizing: [] })).toMatchObject({
      title: 'Brief of Tidewell',
      blocks: [],
    });
  });

  it('tells rates, limits and the state of signatures, and draws the topology', () => {
    const rows = blocks.flatMap((block) => (block.kind === 'table' ? block.rows.map((row) => row.map(cellText).join(' | ')) : []));
    expect(rows).toContain('Book intake | 900 | 09:00 | 1.00 | 0 | 450');
    expect(rows).toContain('Book intake | p95 | 2,000 | ms');
    expect(rows).toContain('every host | processor | 70.0 | 5 min');
    expect(rows).toContain('Odile Marsh | operations | 2026-11-30 10:00 | holds');
    expect(blocks.find((block) => block.kind === 'figure')?.svg).toContain('SQL');
  });
});

it('a fact that is an address and nothing else is a link in HTML; what only looks like one is text', () => {
  const html = htmlOf({
    title: 'T',
    subtitle: '',
    facts: [
      { name: 'Read on', value: 'http://127.0.0.1:4300/projects/p1/runs/r?a=1&b=2' },
      { name: 'Odd', value: 'javascript:alert(1)' },
      { name: 'Words', value: 'see http://127.0.0.1' },
      { name: 'Quote', value: 'http://a/"onclick="x' },
    ],
    logo: null,
    blocks: [],
  });
  expect(html.match(/<a /g)).toHaveLength(1);
  expect(html).toContain('<a href="http://127.0.0.1:4300/projects/p1/runs/r?a=1&#38;b=2">');
});
