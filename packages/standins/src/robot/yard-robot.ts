import { chromium, type Browser, type Page } from 'playwright-core';

/** One thing that a user of Yard does. */
export type YardTransaction = 'sign-in' | 'book-intake' | 'allocate-bay' | 'inspect-load' | 'find-intake' | 'release-load' | 'sign-out';

/** What the robot enters, and where it works. */
export interface RobotOptions {
  /** Where Yard is, such as `http://127.0.0.1:4701`. */
  origin: string;
  /** Recording proxy, such as `http://127.0.0.1:4310`; left out, the robot goes straight to Yard. */
  proxy?: string;
  transactions: YardTransaction[];
  user?: string;
  container: string;
  growerSearch?: string;
  goods?: string;
  pallets?: number;
  /** Which of the offered bays is taken, from 0. */
  bayChoice?: number;
  /** Pause before each transaction, in ms. */
  thinkMs?: number;
  /** Told of the start and end of each transaction, so that a recorder can mark it. */
  mark?: (kind: 'begin' | 'end', name: string) => Promise<void>;
  /** Writes a HAR file with contents, made by the browser itself. */
  recordHar?: string;
  /** Accepts certificates that nobody has signed, such as those of a recorder. */
  acceptsCertificates?: boolean;
  chromiumPath?: string;
}

/** Arguments that keep Debian's Chromium quiet on a closed network. */
export const quietChromium = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

const titles: Record<YardTransaction, string> = {
  'sign-in': 'Sign in',
  'book-intake': 'Book intake',
  'allocate-bay': 'Allocate bay',
  'inspect-load': 'Inspect load',
  'find-intake': 'Find intake',
  'release-load': 'Release load',
  'sign-out': 'Sign out',
};

/** Plays the transactions in Chromium as a person would; resolves with the number of the intake that it booked. */
export async function playYardRobot(options: RobotOptions): Promise<{ intakeNumber: string }> {
  const browser: Browser = await chromium.launch({
    executablePath: options.chromiumPath ?? '/usr/bin/chromium',
    args: [...quietChromium, ...(options.proxy ? ['--proxy-bypass-list=<-loopback>'] : [])],
    ...(options.proxy ? { proxy: { server: options.proxy } } : {}),
  });
  try {
    const context = await browser.newContext({
      ...(options.recordHar ? { recordHar: { path: options.recordHar, content: 'embed' as const } } : {}),
      ignoreHTTPSErrors: options.acceptsCertificates ?? false,
    });
    const page = await context.newPage();
    page.setDefaultTimeout(15_000);
    let intakeNumber = '';
    for (const transaction of options.transactions) {
      await page.waitForTimeout(options.thinkMs ?? 300);
      await options.mark?.('begin', titles[transaction]);
      intakeNumber = (await play(page, transaction, options, intakeNumber)) ?? intakeNumber;
      await page.waitForLoadState('networkidle');
      await options.mark?.('end', titles[transaction]);
    }
    await context.close();
    return { intakeNumber };
  } finally {
    await browser.close();
  }
}

async function play(page: Page, transaction: YardTransaction, options: RobotOptions, booked: string): Promise<string | undefined> {
  switch (transaction) {
    case 'sign-in':
      await page.goto(options.origin);
      await page.click('#to-sign-in');
      await page.fill('input[name=user]', options.user ?? 'mara');
      await page.fill('input[name=password]', `${options.user ?? 'mara'}-pass`);
      await page.click('#sign-in button');
      await page.waitForSelector('#to-new');
      return undefined;
    case 'book-intake': {
      await page.click('#to-new');
      await page.fill('input[name=container]', options.container);
      // Its script listens once the page is loaded; what is typed before is not heard.
      await page.waitForLoadState();
      await page.fill('#grower-search', options.growerSearch ?? 'alm');
      await page.locator('#grower-search').blur();
      await page.locator('select[name=growerId] option').nth(1).waitFor({ state: 'attached' });
      await page.locator('select[name=growerId]').selectOption({ index: 1 });
      await page.fill('#goods', options.goods ?? 'Frozen cod');
      await page.fill('#setpoint', '-18.5');
      await page.fill('#pallets', String(options.pallets ?? 22));
      await page.click('#intake button');
      return await page.locator('#number').innerText();
    }
    case 'allocate-bay':
      await page.click('#allocate');
      await page.locator('#bay-choice option').first().waitFor({ state: 'attached' });
      await page.locator('#bay-choice').selectOption({ index: options.bayChoice ?? 1 });
      await page.click('#take-bay');
      await page.locator('#bay:not(:text("none yet"))').waitFor();
      return undefined;
    case 'inspect-load':
      await page.click('#to-inspect');
      await page.click('#next-load');
      await page.locator('#message:has-text("inspected")').waitFor();
      return undefined;
    case 'find-intake':
      await page.click('#to-find');
      await page.fill('input[name=text]', booked || options.container);
      await page.click('#find button');
      await page.click('a.found');
      return await page.locator('#number').innerText();
    case 'release-load':
      if ((await page.locator('#to-intake').count()) > 0) await page.click('#to-intake');
      await page.click('#release');
      await page.locator('#docket:not(:text("not released"))').waitFor();
      return undefined;
    case 'sign-out':
      await page.click('#sign-out button');
      await page.waitForURL('**/goodbye');
      return undefined;
  }
}
