// A directory browser over LDAP from Debian's package: pages and forms whose things are named by what is typed, parts of pages asked by script.
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, startDirectory, startPhp } from '../stage.mjs';

export const app = {
  title: 'phpLDAPadmin 1.2: a directory, distinguished names in addresses',
  debian: ['phpldapadmin', 'php-cli', 'php-ldap', 'php-xml', 'slapd'],
  takes: [
    { first: 'Ann', last: 'Hill', city: 'Westhaven', changed: 'Easthaven, watch', junior: false },
    { first: 'Bea', last: 'Wood', city: 'Northhaven', changed: 'Southhaven, watch', junior: true },
  ],
  async start({ folder }) {
    const directory = await startDirectory(folder, 4856);
    const site = join(folder, 'site');
    copySite('/usr/share/phpldapadmin', site);
    rmSync(join(site, 'config/config.php'), { force: true });
    writeFileSync(
      join(site, 'config/config.php'),
      `<?php
$config->custom->session['blowfish'] = 'made-up-secret-of-32-characters-';
$config->custom->appearance['hide_template_warning'] = true;
$servers = new Datastore();
$servers->newServer('ldap_pla');
$servers->setValue('server','name','Quay');
$servers->setValue('server','host','127.0.0.1');
$servers->setValue('server','port',4856);
$servers->setValue('server','base',array('dc=quay,dc=example'));
$servers->setValue('login','auth_type','session');
$servers->setValue('login','bind_id','cn=admin,dc=quay,dc=example');
`,
    );
    const php = await startPhp(join(site, 'htdocs'), 4857, { owns: [site] });
    return {
      origin: php.origin,
      things: () =>
        directory
          .entries()
          .filter((one) => one.cn)
          .map((one) => ({ id: one.dn, text: `${one.cn} ${one.sn} ${one.l}`, done: /watch/.test(one.l ?? '') })),
      stop: () => {
        php.stop();
        directory.stop();
      },
    };
  },
  async flow(page, origin, { first, last, city, changed, junior }) {
    await page.goto(origin);
    await page.click('a:has-text("login") >> nth=0');
    await page.fill('#password', 'tulip-42');
    await page.click('[name=submit]');
    await page.waitForTimeout(1000);
    await page.goto(`${origin}/cmd.php?cmd=template_engine&server_id=1&container=${encodeURIComponent('ou=people,dc=quay,dc=example')}`);
    await page.click('input[value^="inetOrgPerson"]');
    await page.fill('[name="new_values[givenname][0]"]', first);
    await page.fill('[name="new_values[sn][0]"]', last);
    await page.locator('[name="new_values[sn][0]"]').blur();
    await page.fill('[name="new_values[l][0]"]', city);
    await page.locator('input[type=submit]').last().click();
    await page.waitForTimeout(1000);
    await page.locator('input[type=submit]').first().click();
    await page.fill('[name="new_values[l][0]"]', changed);
    if (junior) await page.fill('[name="new_values[sn][0]"]', `${last} junior`);
    await page.click('#create_button');
    await page.waitForTimeout(1000);
    await page.locator('input[type=submit]').first().click();
    await page.waitForTimeout(1000);
    await page.click('a:has-text("logout")');
    await page.waitForTimeout(500);
  },
};
