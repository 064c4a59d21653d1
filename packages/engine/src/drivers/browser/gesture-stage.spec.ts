import type { AddressInfo } from 'node:net';
import { createServer, type Server } from 'node:http';
import type { Act, Aim, Gesture } from '@sturdy/core';
import { chromium, type Browser } from 'playwright-core';
import { quietArguments } from './find-browser.js';
import { GestureStage, type StagedGesture } from './gesture-stage.js';

const pages: Readonly<Record<string, string>> = {
  '/': '<h1>Desk</h1><button onclick="document.title = \'clicked\'">Book</button>',
  '/covered':
    '<button onclick="document.title = \'clicked\'">Book</button><div class="veil" style="position:fixed;inset:0;background:#0008">Session note</div>',
  '/disabled': '<button disabled>Book</button>',
  '/late': `<label>Grower <input id="search"></label><select name="grower"></select><script>
    search.addEventListener('change', () => setTimeout(() => { document.querySelector('select').innerHTML = '<option value=1>Alma</option><option value=2>Birch</option>' }, 400));
    document.querySelector('select').addEventListener('change', (event) => { document.title = event.target.value });</script>`,
  '/restless': `<div id="room"></div><script>
    const draw = () => { room.innerHTML = '<button>Book</button>'; room.firstChild.onclick = () => { document.title = 'clicked' } };
    draw(); const restless = setInterval(draw, 120); setTimeout(() => clearInterval(restless), 1500);</script>`,
  '/confirm': '<button onclick="document.title = String(confirm(\'Release it?\'))">Release</button>',
  '/alert': '<button onclick="alert(\'Scale not level\'); this.remove()">Weigh</button>',
  '/frame': '<iframe name="inner" src="/"></iframe>',
  '/tab': '<a href="/" target="_blank">Open the desk</a>',
  '/keys': `<label>Note <input id="note"></label><script>
    const keys = []; note.addEventListener('keydown', (event) => { keys.push(event.key); document.title = keys.join('') });</script>`,
  '/day':
    '<label>Day <input id="day" type="date"></label><script>day.addEventListener("input", () => { document.title = day.value })</script>',
  '/tick': '<label><input type="checkbox" onchange="document.title = String(this.checked)"> Cooled</label>',
};
let server: Server;
let origin: string;
let browser: Browser;
beforeAll(async () => {
  server = createServer((request, response) => {
    response.setHeader('Content-Type', 'text/html').end(`<!doctype html><title>start</title>${pages[request.url ?? ''] ?? ''}`);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: [...quietArguments(), '--disable-gpu'] });
});
afterAll(async () => {
  await browser.close();
  server.closeAllConnections();
  server.close();
});

const aim = (role: string, name: string): Aim => ({
  words: `${role} “${name}”`,
  ways: [{ kind: 'role', role, name, found: 1 }],
});
const gesture = (act: Act, at: Aim | null, more: Partial<Gesture> = {}): Gesture => ({
  n: 1,
  atMs: 0,
  untilMs: 0,
  tab: 1,
  frames: [],
  act,
  aim: at,
  ...more,
});
const staged = (of: Gesture, more: Partial<StagedGesture> = {}): StagedGesture => ({
  gesture: of,
  act: of.act,
  chooseAnother: false,
  leaves: false,
  answers: [],
  ...more,
});

/** Plays gestures on a page; tells the last outcome, and the title of a tab at the end. */
async function played(path: string, gestures: readonly StagedGesture[], { tab = 0, timeoutMs = 3000 } = {}) {
  const context = await browser.newContext();
  try {
    const stage = new GestureStage(context, timeoutMs, () => 0.99);
    await context.newPage();
    let last = await stage.play(staged(gesture({ kind: 'go-to', address: origin + path }, null)));
    for (const each of gestures) if (last.failure === null) last = await stage.play(each);
    return { ...last, title: (await context.pages()[tab]?.title()) ?? '' };
  } finally {
    await context.close();
  }
}
const book = gesture({ kind: 'click' }, aim('button', 'Book'));

describe('gestures in a browser', () => {
  it('are played on what their aim leads to', async () => {
    expect(await played('/', [staged(book)])).toMatchObject({ failure: null, by: 'role', failed: [], title: 'clicked' });
  });

  it('type key by key, and into fields of days at once', async () => {
    const note = gesture({ kind: 'type', text: 'Cod', isSecret: false, field: '', isLeft: true }, aim('textbox', 'Note'));
    expect((await played('/keys', [staged(note)])).title).toBe('Cod');
    const day: Aim = { words: 'field “Day”', ways: [{ kind: 'label', text: 'Day', found: 1 }] };
    expect(
      (await played('/day', [staged(gesture({ kind: 'type', text: '2026-12-01', isSecret: false, field: '', isLeft: true }, day))])).title,
    ).toBe('2026-12-01');
  });

  it('wait for an option that comes after the field before was left, and choose another one where that is wished', async () => {
    const search = staged(gesture({ kind: 'type', text: 'al', isSecret: false, field: '', isLeft: true }, aim('textbox', 'Grower')), {
      leaves: true,
    });
    const list: Aim = {
      words: 'list',
      ways: [{ kind: 'attribute', tag: 'select', attribute: 'name', value: 'grower', found: 1 }],
    };
    const choose = gesture({ kind: 'choose', options: [{ value: '1', label: 'Alma' }], isFree: true }, list);
    expect((await played('/late', [search, staged(choose)])).title).toBe('1');
    const another = await played('/late', [search, staged(choose, { chooseAnother: true })]);
    expect(another).toMatchObject({ title: '2', act: { options: [{ value: '2', label: 'Birch' }] } });
    const gone = gesture({ kind: 'choose', options: [{ value: '9', label: 'Cedar' }], isFree: true }, list);
    expect((await played('/late', [search, staged(gone)], { timeoutMs: 1200 })).failure).toBe(
      'The list does not offer “Cedar”: it has 2 options.',
    );
  });

  it('find what is drawn anew under the pointer', async () => {
    expect(await played('/restless', [staged(book)])).toMatchObject({ failure: null, title: 'clicked' });
  });

  it('tick, answer dialogs, go into frames and other tabs', async () => {
    const cooled = gesture({ kind: 'tick', isOn: true }, aim('checkbox', 'Cooled'));
    expect((await played('/tick', [staged(cooled)])).title).toBe('true');
    const release = gesture({ kind: 'click' }, aim('button', 'Release'));
    const answers = [true, false].map((isYes) => ({ kind: 'answer' as const, isYes, text: '' }));
    for (const answer of answers)
      expect((await played('/confirm', [staged(release, { answers: [answer] })])).title).toBe(String(answer.isYes));
    const inFrame = { ...book, frames: [{ name: 'inner', path: '/' }] };
    expect(await played('/frame', [staged(inFrame)])).toMatchObject({ failure: null });
    const open = gesture({ kind: 'click' }, aim('link', 'Open the desk'));
    expect(await played('/tab', [staged(open), staged({ ...book, tab: 2 })], { tab: 1 })).toMatchObject({
      failure: null,
      title: 'clicked',
    });
  });

  it('say why they cannot be played', async () => {
    const failure = async (path: string, of: Gesture) => (await played(path, [staged(of)], { timeoutMs: 1000 })).failure;
    expect(await failure('/covered', book)).toMatch(/^The button “Book” is covered by another element: <div .*veil/);
    expect(await failure('/disabled', book)).toBe('The button “Book” stayed disabled.');
    expect(await failure('/', gesture({ kind: 'click' }, aim('button', 'Release')))).toBe(
      'Nothing on the page is the button “Release”: none of its 1 ways leads to it for sure.',
    );
    expect(await failure('/', { ...book, tab: 2 })).toMatch(/^There is no tab 2/);
    expect(await failure('/', gesture({ kind: 'upload', files: ['a.csv'] }, aim('button', 'Book')))).toBe(
      'The files a.csv are not kept with the take.',
    );
    const weigh = gesture({ kind: 'click' }, aim('button', 'Weigh'));
    const after = await played('/alert', [staged(weigh), staged(weigh)], { timeoutMs: 1000 });
    expect(after.failure).toMatch(
      /^Nothing on the page is the button “Weigh”.* A dialog that the take did not have said “Scale not level”\.$/,
    );
  });
});
