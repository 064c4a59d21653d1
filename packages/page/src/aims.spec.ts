import type { Aim } from '@sturdy/core';
import { quietArguments } from '@sturdy/engine';
import { chromium, type Browser, type Page } from 'playwright-core';
import { finderCode, aimsCode } from '@sturdy/page';
import { changes, habits, pageOf, widgets, type Change } from './test/widget-pages.js';

let browser: Browser;
let page: Page;
beforeAll(async () => {
  browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: [...quietArguments(), '--disable-gpu'] });
  page = await browser.newPage();
});
afterAll(() => browser.close());

/** Aims at everything on the page that a gesture may mean, by its name. */
async function aimsOn(html: string): Promise<Record<string, Aim>> {
  await page.setContent(html);
  return page.evaluate<Record<string, Aim>>(`(${aimsCode})('data-truth')`);
}
/** What an aim leads to: the name of the element; null where it leads to none. */
const found = (aim: Aim): Promise<string | null> =>
  page.evaluate(
    `(() => { const { element } = (${finderCode})(${JSON.stringify(aim)}); return element && element.getAttribute('data-truth') })()`,
  );

describe('aims at 60 pages after published widget patterns, as three frameworks write them', () => {
  /** By change: gestures that find the right element, none, and a wrong one. */
  const counts = new Map<Change | null, { right: number; none: string[]; wrong: string[] }>();
  beforeAll(async () => {
    for (const widget of Object.keys(widgets))
      for (const habit of habits) {
        const aims = await aimsOn(pageOf(widget, habit, null));
        for (const change of [null, ...changes]) {
          await page.setContent(pageOf(widget, habit, change));
          const count = counts.get(change) ?? { right: 0, none: [], wrong: [] };
          counts.set(change, count);
          for (const [truth, aim] of Object.entries(aims)) {
            const name = await found(aim);
            if (name === truth) count.right++;
            else (name === null ? count.none : count.wrong).push(`${widget}, ${habit}: ${truth}${name === null ? '' : ` -> ${name}`}`);
          }
        }
      }
  }, 240_000);

  it.each([null, ...changes])('change %s: at least 98 of 100 gestures find their element, and none finds another one', (change) => {
    const { right, none, wrong } = counts.get(change) ?? { right: 0, none: [], wrong: [] };
    expect(wrong).toEqual([]);
    expect(right).toBeGreaterThan(150);
    expect(right / (right + none.length)).toBeGreaterThanOrEqual(0.98);
  });
});

describe('an aim', () => {
  it('uses no class, and no id that a program made', async () => {
    const aims = await aimsOn(pageOf('combobox', 'made', null));
    expect(JSON.stringify(aims)).not.toMatch(/css-|:r\d/);
  });

  it('leads to the thing that bears the name, and not to the one whose number it had', async () => {
    const list = (names: string[]) =>
      `<ul>${names.map((name, at) => `<li id="${9 - at}"><b>${name}</b> <a href="/things/${9 - at}" data-truth="${name}">Edit</a></li>`).join('')}</ul>`;
    const { Peas: aim } = await aimsOn(list(['Peas', 'Fish']));
    if (!aim) throw new Error('There is no aim.');
    expect(JSON.stringify(aim)).not.toContain('things');
    await page.setContent(list(['Beans', 'Fish', 'Peas']));
    expect(await found(aim)).toBe('Peas');
  });

  it('tells cards apart by what each says first', async () => {
    const cards = (names: string[]) =>
      `<main>${names.map((name) => `<div><div><h3>${name}</h3></div><div><span>·</span><a href="/edit?id=${name}" aria-label="Edit" data-truth="${name}"><i></i>x</a></div><div hidden><a href="/edit?id=${name}" aria-label="Edit">x</a></div></div>`).join('')}</main>`;
    const { Peas: aim } = await aimsOn(cards(['Peas', 'Fish', 'Cod']));
    if (!aim) throw new Error('There is no aim.');
    await page.setContent(cards(['Beans', 'Fish', 'Peas', 'Cod']));
    expect(await found(aim)).toBe('Peas');
    await page.setContent(cards(['Beans', 'Fish']));
    expect(await found(aim)).toBeNull();
  });

  it('leads to the row that it was in, though there was but one then', async () => {
    const table = (names: string[]) =>
      `<table>${names.map((name) => `<tr><td>${name}</td><td>waiting</td><td><a data-truth="${name}" href="/e?${name}">edit</a></td></tr>`).join('')}</table>`;
    const { 'IN-1': aim } = await aimsOn(table(['IN-1']));
    if (!aim) throw new Error('There is no aim.');
    await page.setContent(table(['IN-2', 'IN-1']));
    expect(await found(aim)).toBe('IN-1');
  });

  it('leads to nothing where its element is gone and something else stands in its place', async () => {
    const aims = await aimsOn('<main><button data-truth="book">Book</button></main>');
    const [aim] = Object.values(aims);
    if (!aim) throw new Error('There is no aim.');
    await page.setContent('<main><button data-truth="delete">Delete all</button></main>');
    expect(await found(aim)).toBeNull();
    await page.setContent('<main><a data-truth="link">Book</a></main>');
    expect(await found(aim)).toBeNull();
  });

  it('prefers what is visible, and leads to nothing where two are alike', async () => {
    const aims = await aimsOn('<main><button data-truth="book">Book</button></main>');
    const [aim] = Object.values(aims);
    if (!aim) throw new Error('There is no aim.');
    await page.setContent(
      '<main><p><button hidden data-truth="old">Book</button><i><button data-truth="book">Book</button></i></p></main>',
    );
    expect(await found(aim)).toBe('book');
    await page.setContent('<p><button data-truth="one">Book</button></p><p><button data-truth="two">Book</button></p>');
    expect(await found(aim)).toBeNull();
  });
});
