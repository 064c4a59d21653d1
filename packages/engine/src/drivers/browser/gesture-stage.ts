import { gestureWords, type Act, type Aim, type Gesture, type PlannedGesture, type WayKind } from '@sturdy/core';
import { finderCode } from '@sturdy/page';
import { errors, type BrowserContext, type Dialog, type ElementHandle, type Frame, type Page } from 'playwright-core';
import { NetworkQuiet } from './network-quiet.js';

/** What came of a gesture. */
export interface GestureOutcome {
  /** Why it could not be done, in a sentence; null where it was done. */
  failure: string | null;
  /** The way that led to its element, and the better ones that did not; null where it has no element. */
  by: WayKind | null;
  failed: WayKind[];
  /** What was done, which differs from what was wished where an option was chosen here. */
  act: Act;
}

/** A gesture as it is to be played. */
export type StagedGesture = Pick<PlannedGesture, 'gesture' | 'act' | 'chooseAnother' | 'leaves' | 'answers'>;

interface Sighted {
  element: ElementHandle;
  by: WayKind | null;
  failed: WayKind[];
}

/** An element is looked for again after so many ms. */
const lookAgainMs = 100;
/** After an act nothing may be under way for so many ms, at most for so long. */
const quietMs = 200;
const quietAtMostMs = 6000;
/** A person types a key in about this many ms (common practice, no source); pages that listen to keys hear each. */
const keyMs = 5;

/** The tabs of one clean browser, in which gestures are played one after the other. */
export class GestureStage {
  readonly #tabs: Page[] = [];
  readonly #quiet: NetworkQuiet;
  #answers: Extract<Act, { kind: 'answer' }>[] = [];
  /** Dialogs that nobody had expected, by what they said. */
  readonly unexpected: string[] = [];

  constructor(
    readonly context: BrowserContext,
    /** ms for which an element is waited for. */
    readonly timeoutMs: number,
    readonly random: () => number = () => 0,
  ) {
    this.#quiet = new NetworkQuiet(context);
    context.on('page', (page) => this.#tabs.push(page));
    context.on('dialog', (dialog) => void this.#answer(dialog));
  }

  async #answer(dialog: Dialog): Promise<void> {
    const answer = this.#answers.shift();
    // Whoever leaves a page is not kept on it.
    const isYes = answer?.isYes ?? dialog.type() === 'beforeunload';
    if (!answer && dialog.type() !== 'beforeunload') this.unexpected.push(dialog.message());
    await (isYes ? dialog.accept(answer?.text) : dialog.dismiss()).catch(() => undefined);
  }

  /** Plays a gesture, and waits until what it set off is over. Never throws for what the page does. */
  async play({ gesture, act, chooseAnother, leaves, answers }: StagedGesture): Promise<GestureOutcome> {
    const from = performance.now();
    const outcome = (failure: string | null, more: Partial<GestureOutcome> = {}): GestureOutcome => ({
      failure,
      by: null,
      failed: [],
      act,
      ...more,
    });
    this.#answers = [...answers];
    let sighted: Sighted | null = null;
    try {
      const page = await this.#tab(gesture.tab);
      if (!page) return outcome(`There is no tab ${gesture.tab}: what opened it in the take did not open it now.`);
      for (;;) {
        const frame = await this.#frame(page, gesture.frames);
        if (!frame) return outcome(`The frame ${gesture.frames.map(({ path }) => path).join(' in ')} is not on the page.`);
        sighted = gesture.aim && (await this.#find(frame, gesture.aim));
        if (gesture.aim && !sighted)
          return outcome(
            this.#withDialog(
              `Nothing on the page is the ${gesture.aim.words}: none of its ${gesture.aim.ways.length} ways leads to it for sure.`,
            ),
          );
        try {
          const done = await this.#act(page, sighted, act, { chooseAnother, leaves });
          await this.#settle(page);
          return outcome(null, { by: sighted?.by ?? null, failed: sighted?.failed ?? [], act: done });
        } catch (error) {
          // A page that is drawn anew under the pointer is looked at again.
          if (!isReplaced(error) || performance.now() - from > this.timeoutMs) throw error;
        }
      }
    } catch (error) {
      return outcome(this.#withDialog(sayFailure(gesture, error)), { by: sighted?.by ?? null, failed: sighted?.failed ?? [] });
    } finally {
      await sighted?.element.dispose().catch(() => undefined);
    }
  }

  /** A failure, with the last dialog that nobody had expected. */
  #withDialog(failure: string): string {
    const said = this.unexpected.at(-1);
    return said === undefined ? failure : `${failure} A dialog that the take did not have said “${said}”.`;
  }

  async #tab(number: number): Promise<Page | null> {
    for (const from = performance.now(); performance.now() - from < this.timeoutMs; await lookAgain()) {
      const page = this.#tabs[number - 1];
      if (page && !page.isClosed()) return page;
      if (page?.isClosed()) return null;
    }
    return null;
  }

  async #frame(page: Page, path: Gesture['frames']): Promise<Frame | null> {
    if (path.length === 0) return page.mainFrame();
    for (const from = performance.now(); performance.now() - from < this.timeoutMs; await lookAgain()) {
      let frame: Frame | undefined = page.mainFrame();
      for (const step of path) {
        const inner: Frame[] = frame?.childFrames() ?? [];
        frame =
          (step.name === '' ? undefined : inner.find((child) => child.name() === step.name)) ??
          inner.find((child) => pathOf(child.url()) === step.path) ??
          (inner.length === 1 ? inner[0] : undefined);
      }
      if (frame) return frame;
    }
    return null;
  }

  async #find(frame: Frame, aim: Aim): Promise<Sighted | null> {
    const from = performance.now();
    for (;;) {
      const sighting = await frame
        .evaluateHandle(`(${finderCode})(${JSON.stringify(aim)})`)
        // A page that goes away while it is looked at is looked at again.
        .catch((error: unknown) => {
          if (/context was destroyed|navigat|detached/i.test(String(error))) return null;
          throw error;
        });
      const element: ElementHandle | null = (await sighting?.getProperty('element'))?.asElement() ?? null;
      if (sighting && element) {
        const [by, failed] = await Promise.all([sighting.getProperty('by'), sighting.getProperty('failed')]);
        return { element, by: (await by.jsonValue()) as WayKind | null, failed: (await failed.jsonValue()) as WayKind[] };
      }
      if (performance.now() - from > this.timeoutMs) return null;
      await pause(lookAgainMs);
    }
  }

  async #act(
    page: Page,
    sighted: Sighted | null,
    act: Act,
    { chooseAnother, leaves }: { chooseAnother: boolean; leaves: boolean },
  ): Promise<Act> {
    const timeout = this.timeoutMs;
    const element = sighted?.element;
    const need = (): ElementHandle => {
      if (!element) throw new Error('The gesture has no aim.');
      return element;
    };
    switch (act.kind) {
      case 'go-to':
        await page.goto(act.address, { timeout, waitUntil: 'load' });
        return act;
      case 'go-back':
        await page.goBack({ timeout, waitUntil: 'load' });
        return act;
      case 'click':
        await need().click({ timeout });
        return act;
      case 'double-click':
        await need().dblclick({ timeout });
        return act;
      case 'type':
        await this.#type(page, need(), act.text);
        if (leaves) await need().evaluate((field) => (field as unknown as { blur: () => void }).blur());
        return act;
      case 'choose':
        return this.#choose(need(), act, chooseAnother);
      case 'tick':
        await need().setChecked(act.isOn, { timeout });
        return act;
      case 'press':
        if (element && !(await isPage(element))) await element.press(act.key, { timeout });
        else await page.keyboard.press(act.key);
        return act;
      case 'answer':
        return act;
      case 'upload':
        throw new Unplayable(`The files ${act.files.join(', ')} are not kept with the take.`);
    }
  }

  async #type(page: Page, field: ElementHandle, text: string): Promise<void> {
    const kind = await field.getAttribute('type');
    if (kind !== null && ['date', 'time', 'datetime-local', 'month', 'week', 'number', 'color', 'range'].includes(kind)) {
      await field.fill(text, { timeout: this.timeoutMs });
      return;
    }
    await field.waitForElementState('editable', { timeout: this.timeoutMs });
    await field.focus();
    await field.selectText({ timeout: this.timeoutMs });
    if (text === '') await page.keyboard.press('Delete');
    else await page.keyboard.type(text, { delay: keyMs });
  }

  /** Chooses as was recorded, or something else; waits until there is what is to be chosen. */
  async #choose(list: ElementHandle, act: Extract<Act, { kind: 'choose' }>, another: boolean): Promise<Act> {
    const recorded = new Set(act.options.map(({ value }) => value));
    for (const from = performance.now(); ; await lookAgain()) {
      const offered = await list.evaluate((select) =>
        [...(select as unknown as { options: Iterable<{ value: string; label: string; disabled: boolean }> }).options]
          .filter(({ disabled }) => !disabled)
          .map(({ value, label }) => ({ value, label: label.replace(/\s+/g, ' ').trim() })),
      );
      const others = offered.filter(({ value }) => value !== '' && !recorded.has(value));
      const same = act.options.map(
        (option) => offered.find(({ label }) => label === option.label) ?? offered.find(({ value }) => value === option.value),
      );
      const chosen = another && act.options.length === 1 && others.length > 0 ? [others[Math.floor(this.random() * others.length)]] : same;
      const known = chosen.flatMap((option) => option ?? []);
      if (known.length === act.options.length) {
        await list.selectOption(
          known.map(({ value }) => ({ value })),
          { timeout: this.timeoutMs },
        );
        return { ...act, options: known };
      }
      if (performance.now() - from > this.timeoutMs)
        throw new Unplayable(
          `The list does not offer ${act.options.map(({ label }) => `“${label}”`).join(', ')}: it has ${offered.length} ${offered.length === 1 ? 'option' : 'options'}.`,
        );
    }
  }

  async #settle(page: Page): Promise<void> {
    await this.#quiet.reached(quietMs, quietAtMostMs);
    if (!page.isClosed()) await page.waitForLoadState('load', { timeout: this.timeoutMs }).catch(() => undefined);
    await this.#quiet.reached(quietMs / 2, quietAtMostMs);
  }
}

const isReplaced = (error: unknown): boolean => /not attached|detached from/i.test(String(error));

/** Something that no waiting makes possible. */
class Unplayable extends Error {}

const pause = (ms: number): Promise<void> => new Promise((go) => setTimeout(go, ms));
const lookAgain = async (): Promise<true> => {
  await pause(lookAgainMs);
  return true;
};
const isPage = (element: ElementHandle): Promise<boolean> =>
  element.evaluate((node) => ['body', 'html'].includes((node as unknown as { localName: string }).localName));

function pathOf(address: string): string {
  try {
    return new URL(address).pathname;
  } catch {
    return address;
  }
}

/** Why a gesture failed, for people: what lay over its element, what it waited for. */
function sayFailure(gesture: Gesture, error: unknown): string {
  if (error instanceof Unplayable) return error.message;
  const text = error instanceof Error ? error.message : String(error);
  const what = gesture.aim ? `The ${gesture.aim.words}` : gestureWords(gesture);
  const cover = /<([a-z][a-z0-9-]*)([^>]*)>(.*?)<\/\1> .*intercepts pointer events/s.exec(text);
  if (cover) return `${what} is covered by another element: <${cover[1] ?? ''}${(cover[2] ?? '').slice(0, 80)}>.`;
  if (text.includes('not enabled')) return `${what} stayed disabled.`;
  if (text.includes('not visible')) return `${what} did not become visible.`;
  if (text.includes('not stable')) return `${what} did not stand still.`;
  if (/Target page, context or browser has been closed|crash/i.test(text)) return 'The browser was closed or crashed.';
  if (error instanceof errors.TimeoutError) return `${what} could not be used within the time that is given.`;
  return text.split('\n')[0] ?? text;
}
