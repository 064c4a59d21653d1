// Tiny Tiny RSS from Debian's package: a page of widgets whose every act is a POST to one address with `op` and `method`. A user is
// made, its level and address are changed, and it is looked at.
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, sayInDialogs, startPhp, startPostgres } from '../stage.mjs';

export const app = {
  title: 'Tiny Tiny RSS 21: widgets, one address, HTML and JSON fragments',
  debian: ['tt-rss', 'php-cli', 'php-pgsql', 'php-xml', 'php-mbstring', 'php-intl', 'php-curl', 'postgresql-15'],
  takes: [
    { login: 'harbour-one', email: 'one@example.test', level: 'Power User' },
    { login: 'quayside-two', email: 'two@example.test', level: 'Administrator' },
  ],
  async start({ folder }) {
    const database = await startPostgres(folder, 4841);
    const site = join(folder, 'site');
    copySite('/usr/share/tt-rss/www', site);
    database.sql(readFileSync('/usr/share/tt-rss/schema/ttrss_schema_pgsql.sql', 'utf8'));
    for (const one of ['lock', 'cache', 'cache/images', 'cache/upload', 'cache/export', 'cache/feeds', 'cache/js', 'cache/simplepie'])
      mkdirSync(join(folder, one), { recursive: true });
    rmSync(join(site, 'config.php'), { force: true });
    const config = {
      DB_TYPE: 'pgsql',
      DB_HOST: '127.0.0.1',
      DB_PORT: '4841',
      DB_USER: 'postgres',
      DB_NAME: 'app',
      DB_PASS: '',
      SELF_URL_PATH: 'http://127.0.0.1:4842/',
      PHP_EXECUTABLE: '/usr/bin/php',
      LOCK_DIRECTORY: join(folder, 'lock'),
      CACHE_DIR: join(folder, 'cache'),
      ICONS_DIR: 'feed-icons',
      ICONS_URL: 'feed-icons',
      PLUGINS: 'auth_internal, note',
      LOG_DESTINATION: '',
      SMTP_FROM_NAME: 'x',
      SMTP_FROM_ADDRESS: 'x@example.test',
      DIGEST_SUBJECT: 'x',
      REG_NOTIFY_ADDRESS: '',
      MYSQL_CHARSET: 'UTF8',
    };
    const numbers = {
      SINGLE_USER_MODE: 'false',
      SIMPLE_UPDATE_MODE: 'false',
      AUTH_AUTO_CREATE: 'true',
      AUTH_AUTO_LOGIN: 'true',
      FORCE_ARTICLE_PURGE: '0',
      ENABLE_REGISTRATION: 'false',
      REG_MAX_USERS: '10',
      SESSION_COOKIE_LIFETIME: '86400',
      CHECK_FOR_UPDATES: 'false',
      ENABLE_GZIP_OUTPUT: 'false',
      CONFIG_VERSION: '26',
    };
    writeFileSync(
      join(site, 'config.php'),
      `<?php\n${Object.entries(config)
        .map(([name, value]) => `define('${name}','${value}');`)
        .join('\n')}\n${Object.entries(numbers)
        .map(([name, value]) => `define('${name}',${value});`)
        .join('\n')}\n`,
    );
    const php = await startPhp(site, 4842, { owns: [site, join(folder, 'lock'), join(folder, 'cache')] });
    return {
      origin: php.origin,
      things: () =>
        database
          .sql("select id, login, access_level, email from ttrss_users where login <> 'admin' order by id")
          .split('\n')
          .filter(Boolean)
          .map((text) => text.trim())
          .map((text) => ({ id: text.split(' | ')[0], text, done: /\| (5|10) \| \w+@/.test(text) })),
      stop: () => {
        php.stop();
        database.stop();
      },
    };
  },
  async flow(page, origin, { login, email, level }) {
    await page.goto(`${origin}/`);
    await page.fill('#login', 'admin');
    await page.fill('input[name=password]', 'password');
    await page.click('#dijit_form_Button_0');
    await page.waitForTimeout(3000);
    await page.goto(`${origin}/prefs.php`);
    await page.waitForTimeout(2500);
    await page.click('#pref-tabs_tablist_userConfigTab');
    await page.waitForTimeout(1200);
    sayInDialogs(page, login);
    await page.click('text=Create user');
    await page.waitForTimeout(1500);
    await page.click(`text=${login}`);
    await page.waitForTimeout(800);
    // The list closes again where the dialog is still moving.
    for (let count = 0; count < 5 && (await page.locator('#access_level').innerText()).trim() !== level; count++) {
      await page.click('#access_level');
      await page.waitForTimeout(500);
      await page
        .locator(`.dijitMenuItem:has-text("${level}") >> visible=true`)
        .click({ timeout: 2000 })
        .catch(() => undefined);
      await page.waitForTimeout(300);
    }
    await page.fill('input[name=email] >> visible=true', email);
    await page.click('.dijitDialog >> text=Save');
    await page.waitForTimeout(1500);
    await page.click(`text=${login}`);
    await page.waitForTimeout(800);
    await page.click('.dijitDialog >> text=User details');
    await page.waitForTimeout(1200);
    await page.click('.dijitDialog >> text=Cancel');
    await page.goto(`${origin}/public.php?op=logout`);
    await page.waitForTimeout(800);
  },
};
