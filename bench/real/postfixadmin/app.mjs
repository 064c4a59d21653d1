// Postfix Admin from Debian's package: pages and forms with one-time tokens over PostgreSQL. A mailbox is made, changed and looked at.
import { execFileSync } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, startPhp, startPostgres } from '../stage.mjs';

export const app = {
  title: 'Postfix Admin 3.3: pages and forms, things named by what is typed',
  debian: ['postfixadmin', 'php-cli', 'php-pgsql', 'php-mbstring', 'php-imap', 'postgresql-15'],
  takes: [
    { local: 'harbour.one', name: 'Ann Hill', changed: 'Ann Hill, night watch', active: true },
    { local: 'mooring.two', name: 'Bea Wood', changed: 'Bea Wood, day watch', active: false },
  ],
  async start({ folder }) {
    const database = await startPostgres(folder, 4854);
    const site = join(folder, 'site');
    copySite('/usr/share/postfixadmin', site);
    for (const file of ['config.inc.php', 'config.local.php']) rmSync(join(site, file), { force: true });
    const config = readFileSync('/etc/postfixadmin/config.inc.php', 'utf8').replace("require_once('dbconfig.inc.php');", '');
    writeFileSync(join(site, 'config.inc.php'), config);
    writeFileSync(
      join(site, 'config.local.php'),
      `<?php
$CONF['configured'] = true;
$CONF['database_type'] = 'pgsql';
$CONF['database_host'] = '127.0.0.1';
$CONF['database_port'] = '4854';
$CONF['database_user'] = 'postgres';
$CONF['database_password'] = '';
$CONF['database_name'] = 'app';
$CONF['encrypt'] = 'php_crypt:SHA512';
$CONF['default_language'] = 'en';
$CONF['emailcheck_resolve_domain'] = 'NO';
$CONF['password_validation'] = array();
$CONF['setup_password'] = '';
$CONF['show_footer_text'] = 'NO';
`,
    );
    const php = await startPhp(join(site, 'public'), 4855, { owns: [site] });
    return {
      origin: php.origin,
      database,
      things: () =>
        database
          .sql('select username, name, active, quota, (select goto from alias where address = username) from mailbox order by username')
          .split('\n')
          .filter(Boolean)
          .map((text) => text.trim())
          .map((text) => ({ id: text.split(' | ')[0], text, done: /watch/.test(text.split(' | ')[1] ?? '') })),
      stop: () => {
        php.stop();
        database.stop();
      },
    };
  },
  async prepare(page, origin, { database }) {
    await page.goto(`${origin}/upgrade.php`);
    await page.waitForTimeout(3000);
    const hash = execFileSync('php', ['-r', "echo crypt('tulip-42', '$6$made4upsalt');"], { encoding: 'utf8' });
    database.sql(`insert into admin (username, password, superadmin, active) values ('kim@quay.example', '${hash}', true, true)`);
    database.sql(
      "insert into domain (domain, description, transport, active, aliases, mailboxes) values ('quay.example', 'Quay', 'virtual', true, 0, 0)",
    );
    database.sql("insert into domain_admins (username, domain, active) values ('kim@quay.example', 'quay.example', true)");
  },
  async flow(page, origin, { local, name, changed, active }) {
    await page.goto(`${origin}/login.php`);
    await page.fill('#fUsername', 'kim@quay.example');
    await page.fill('#fPassword', 'tulip-42');
    await page.click('[type=submit]');
    await page.waitForTimeout(800);
    await page.click('a:has-text("Virtual List") >> visible=true');
    await page.goto(`${origin}/edit.php?table=mailbox&domain=quay.example`);
    await page.fill('[name="value[local_part]"]', local);
    await page.fill('[name="value[password]"]', 'tulip-4242');
    await page.fill('[name="value[password2]"]', 'tulip-4242');
    await page.fill('[name="value[name]"]', name);
    await page.uncheck('[name="value[welcome_mail]"]');
    await page.click('[name=submit]');
    await page.waitForTimeout(1000);
    await page.goto(`${origin}/list-virtual.php?domain=quay.example`);
    await page.click(`tr:has-text("${local}") a[href*="edit.php?table=mailbox"]`);
    await page.waitForTimeout(600);
    await page.fill('[name="value[name]"]', changed);
    if (!active) await page.uncheck('[name="value[active]"]');
    await page.click('[name=submit]');
    await page.waitForTimeout(1000);
    await page.click(`tr:has-text("${local}") a[href*="edit.php?table=mailbox"]`);
    await page.waitForTimeout(600);
    await page.goto(`${origin}/login.php`);
    await page.waitForTimeout(500);
  },
};
