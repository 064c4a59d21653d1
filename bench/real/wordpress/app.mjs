// WordPress from Debian's package: a page of scripts (the block editor) over a JSON interface, and pages with one-time keys. A post is
// written, changed and looked at.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, startDatabase, startPhp } from '../stage.mjs';

export const app = {
  title: 'WordPress 6.1, block editor: JSON interface, keys of pages',
  debian: ['wordpress', 'php-cli', 'php-mysql', 'php-xml', 'mariadb-server'],
  takes: [{ title: 'Cold harbour' }, { title: 'Warm harbour' }],
  async start({ folder }) {
    const site = join(folder, 'site');
    copySite('/usr/share/wordpress', site);
    const database = await startDatabase(folder, 33306);
    database.sql(
      "create database wp; create user 'wp'@'127.0.0.1' identified by 'wp'; grant all on wp.* to 'wp'@'127.0.0.1'; create user 'wp'@'localhost' identified by 'wp'; grant all on wp.* to 'wp'@'localhost'; flush privileges;",
    );
    writeFileSync(
      join(site, 'wp-config.php'),
      `<?php define('DB_NAME','wp');define('DB_USER','wp');define('DB_PASSWORD','wp');define('DB_HOST','127.0.0.1:33306');define('DB_CHARSET','utf8mb4');define('DB_COLLATE','');
${['AUTH_KEY', 'SECURE_AUTH_KEY', 'LOGGED_IN_KEY', 'NONCE_KEY', 'AUTH_SALT', 'SECURE_AUTH_SALT', 'LOGGED_IN_SALT', 'NONCE_SALT'].map((name) => `define('${name}','made up ${name}');`).join('')}
$table_prefix='wp_';define('WP_HTTP_BLOCK_EXTERNAL',true);define('DISABLE_WP_CRON',true);define('AUTOMATIC_UPDATER_DISABLED',true);
if(!defined('ABSPATH'))define('ABSPATH',__DIR__.'/');require_once ABSPATH.'wp-settings.php';`,
    );
    const php = await startPhp(site, 4811);
    await fetch(`${php.origin}/wp-admin/install.php?step=2`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/x-www-form-urlencoded' },
      body: new URLSearchParams({
        weblog_title: 'Tidewell',
        user_name: 'kim',
        admin_password: 'tulip-42',
        admin_password2: 'tulip-42',
        pw_weak: '1',
        admin_email: 'kim@example.test',
        Submit: 'Install',
      }),
    });
    database.sql("update wp_options set option_value='http://127.0.0.1:4811' where option_name in ('siteurl','home')", 'wp');
    const query =
      "select ID, post_title, post_status from wp_posts where post_type='post' and post_status<>'auto-draft' and ID > 1 order by ID";
    return {
      origin: php.origin,
      things: () =>
        database
          .sql(query, 'wp')
          .split('\n')
          .filter(Boolean)
          .map((text) => text.trim())
          .map((text) => ({ id: text.split('\t')[0], text, done: /changed\tpublish$/.test(text) })),
      stop: () => {
        php.stop();
        database.stop();
      },
    };
  },
  async flow(page, origin, { title }) {
    await page.goto(`${origin}/wp-login.php`);
    await page.fill('#user_login', 'kim');
    await page.fill('#user_pass', 'tulip-42');
    await page.click('#wp-submit');
    await page.waitForLoadState('networkidle');
    await page.goto(`${origin}/wp-admin/post-new.php`);
    await page.waitForLoadState('networkidle');
    const close = page.locator('button[aria-label="Close dialog"], button[aria-label="Close"]');
    if (await close.count()) await close.first().click();
    const heading = page.locator('h1.editor-post-title, .editor-post-title__input').first();
    await heading.click();
    await page.keyboard.type(title);
    await page.locator('.editor-post-publish-panel__toggle, .editor-post-publish-button__button').first().click();
    await page.waitForTimeout(500);
    await page.locator('.editor-post-publish-panel .editor-post-publish-button').first().click();
    await page.waitForTimeout(2500);
    const panel = page.locator('button[aria-label="Close panel"]');
    if (await panel.count()) await panel.first().click();
    await heading.click();
    await page.keyboard.press('End');
    await page.keyboard.type(' changed');
    await page.locator('.editor-post-publish-button').first().click();
    await page.waitForTimeout(2000);
    await page.goto(`${origin}/wp-admin/edit.php`);
    await page.locator('a.row-title').first().click();
    await page.waitForLoadState('networkidle');
    await page.goto(`${origin}/wp-admin/index.php`);
    const out = await page.locator('#wp-admin-bar-logout a').getAttribute('href');
    await page.goto(out);
    await page.waitForLoadState('networkidle');
  },
};
