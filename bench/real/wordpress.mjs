// WordPress from Debian's package: sign in, write a post in the block editor, change it, view it, sign out; recorded twice, correlated,
// rehearsed, and then looked up in its own database. usage: node bench/real/wordpress.mjs [--keep]
import { cpSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { record, startDatabase, startPhp, tryBoth } from './stage.mjs';

const folder = join(tmpdir(), 'sturdy-wordpress');
rmSync(folder, { recursive: true, force: true });
mkdirSync(folder, { recursive: true });
const site = join(folder, 'site');
cpSync('/usr/share/wordpress', site, { recursive: true, dereference: true });
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
try {
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
  const flow = (title) => async (page) => {
    await page.goto(`${php.origin}/wp-login.php`);
    await page.fill('#user_login', 'kim');
    await page.fill('#user_pass', 'tulip-42');
    await page.click('#wp-submit');
    await page.waitForLoadState('networkidle');
    await page.goto(`${php.origin}/wp-admin/post-new.php`);
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
    await page.goto(`${php.origin}/wp-admin/edit.php`);
    await page.locator('a.row-title').first().click();
    await page.waitForLoadState('networkidle');
    await page.goto(`${php.origin}/wp-admin/index.php`);
    const out = await page.locator('#wp-admin-bar-logout a').getAttribute('href');
    await page.goto(out);
    await page.waitForLoadState('networkidle');
  };
  const posts = () =>
    database.sql(
      "select ID, post_title, post_status, post_modified from wp_posts where post_type='post' and post_status<>'auto-draft' order by ID",
      'wp',
    );
  await record(join(folder, 'take-1.har'), flow('Cold harbour'));
  await record(join(folder, 'take-2.har'), flow('Warm harbour'));
  tryBoth(folder, [join(folder, 'take-1.har'), join(folder, 'take-2.har')], php.origin, posts);
  if (process.argv.includes('--keep')) await new Promise(() => process.stdout.write(`Kept running: ${php.origin}, ${folder}\n`));
} finally {
  php.stop();
  database.stop();
}
