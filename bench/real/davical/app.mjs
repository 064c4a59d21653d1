// A calendar server from Debian's package with its pages for administration, over PostgreSQL: a principal is made, changed and looked at.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, startPhp, startPostgres } from '../stage.mjs';

export const app = {
  title: 'DAViCal 1.1: administration pages of a calendar server, ids in addresses',
  debian: ['davical', 'php-cli', 'php-pgsql', 'php-xml', 'php-curl', 'postgresql-15'],
  takes: [
    { user: 'annhill', name: 'Ann Hill', mail: 'ann@quay.example', changed: 'Ann Hill, night watch', kind: '1' },
    { user: 'beawood', name: 'Bea Wood', mail: 'bea@quay.example', changed: 'Bea Wood, day watch', kind: '2' },
  ],
  async start({ folder }) {
    const database = await startPostgres(folder, 4860);
    database.sql('create role davical_dba; create role davical_app', 'postgres');
    for (const file of [
      '/usr/share/awl/dba/awl-tables.sql',
      '/usr/share/awl/dba/schema-management.sql',
      '/usr/share/davical/dba/davical.sql',
      '/usr/share/davical/dba/base-data.sql',
      '/usr/share/davical/dba/caldav_functions.sql',
      '/usr/share/davical/dba/rrule_functions.sql',
      '/usr/share/davical/dba/views/dav_principal.sql',
    ])
      database.sql(readFileSync(file, 'utf8'));
    database.sql("update usr set password = '**tulip-42' where user_no = 1");
    const site = join(folder, 'site');
    copySite('/usr/share/davical', site);
    copySite('/usr/share/awl', join(folder, 'awl'));
    // The copy reads its own configuration, not that of the machine.
    const always = join(site, 'htdocs/always.php');
    writeFileSync(always, readFileSync(always, 'utf8').replaceAll('/etc/davical/', `${site}/config/`));
    mkdirSync(join(site, 'config'));
    writeFileSync(
      join(site, 'config/config.php'),
      "<?php\n$c->pg_connect[] = 'host=127.0.0.1 port=4860 dbname=app user=postgres';\n$c->domain_name = '127.0.0.1';\n",
    );
    const php = await startPhp(join(site, 'htdocs'), 4861, { owns: [join(folder, 'awl'), site] });
    return {
      origin: php.origin,
      things: () =>
        database
          .sql('select user_no, username, fullname, email, type_id from usr join principal using (user_no) order by user_no')
          .split('\n')
          .filter(Boolean)
          .map((text) => ({ id: text.split(' | ')[0], text, done: /watch/.test(text) })),
      stop: () => {
        php.stop();
        database.stop();
      },
    };
  },
  async flow(page, origin, { user, name, mail, changed, kind }) {
    await page.goto(`${origin}/index.php`);
    await page.fill('[name=username]', 'admin');
    await page.fill('[name=password]', 'tulip-42');
    await page.click('[name=submit]');
    await page.waitForTimeout(600);
    await page.goto(`${origin}/admin.php?action=edit&t=principal&id=`);
    await page.fill('[name=xxxxusername]', user);
    await page.fill('[name=newpass1]', 'tulip-4242');
    await page.fill('[name=newpass2]', 'tulip-4242');
    await page.fill('[name=fullname]', name);
    await page.fill('[name=email]', mail);
    await page.selectOption('[name=type_id]', kind);
    await page.click('input[name=submit]');
    await page.waitForTimeout(1000);
    await page.goto(`${origin}/admin.php?action=browse&t=principal&type=${kind}`);
    await page.click(`tr:has-text("${user}") td >> nth=0`);
    await page.waitForTimeout(600);
    await page.fill('[name=fullname]', changed);
    await page.click('input[name=submit]');
    await page.waitForTimeout(1000);
    await page.goto(`${origin}/admin.php?action=browse&t=principal&type=${kind}`);
    await page.waitForTimeout(500);
    await page.goto(`${origin}/index.php?logout`);
    await page.waitForTimeout(500);
  },
};
