// An account manager over LDAP from Debian's package: wizards of many fields, state of the edited thing in the session.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, startDirectory, startPhp } from '../stage.mjs';

export const app = {
  title: 'LDAP Account Manager 8: wizards of forms with a token, the edited thing in the session',
  debian: ['ldap-account-manager', 'php-cli', 'php-ldap', 'php-xml', 'php-gd', 'php-mbstring', 'php-curl', 'php-zip', 'slapd'],
  takes: [
    { first: 'Ann', last: 'Hill', street: 'Quay Road 1', changed: 'Mole Lane 7, watch', user: 'ahill', rdn: 'cn' },
    { first: 'Bea', last: 'Wood', street: 'Pier Street 22', changed: 'Harbour Way 9, watch', user: 'bwood', rdn: 'uid' },
  ],
  async start({ folder }) {
    const directory = await startDirectory(folder, 4858);
    const site = join(folder, 'site');
    copySite('/usr/share/ldap-account-manager', site);
    const sample = readFileSync(join(site, 'config/addressbook.sample.conf'), 'utf8');
    writeFileSync(
      join(site, 'config/lam.conf'),
      sample
        .replaceAll('ldap://localhost:389', 'ldap://127.0.0.1:4858')
        .replaceAll('cn=Manager,dc=my-domain,dc=com', 'cn=admin,dc=quay,dc=example')
        .replaceAll('ou=People,dc=my-domain,dc=com', 'ou=people,dc=quay,dc=example')
        .replaceAll('dc=my-domain,dc=com', 'dc=quay,dc=example')
        .replaceAll('dc=yourdomain,dc=org', 'dc=quay,dc=example')
        .replaceAll('useTLS: yes', 'useTLS: no'),
    );
    const php = await startPhp(site, 4859, { owns: [site] });
    return {
      origin: php.origin,
      things: () =>
        directory
          .entries()
          .filter((one) => one.sn)
          .map((one) => ({ id: one.dn, text: `${one.cn} ${one.street}`, done: /watch/.test(one.street ?? '') })),
      stop: () => {
        php.stop();
        directory.stop();
      },
    };
  },
  async flow(page, origin, { first, last, street, changed, user, rdn }) {
    await page.goto(`${origin}/templates/login.php`);
    await page.fill('input[name=passwd]', 'tulip-42');
    await page.click('[name=checklogin]');
    await page.waitForTimeout(1000);
    await page.click('#btn_new');
    await page.selectOption('#accountContainerRDN', rdn);
    await page.fill('#uid', user);
    await page.fill('#givenName', first);
    await page.fill('#sn', last);
    await page.fill('#cn_0', `${first} ${last}`);
    await page.fill('#street_0', street);
    await page.click('#btn_accountContainerSaveAccount');
    await page.waitForTimeout(1000);
    await page.click('#btn_accountContainerBackToList');
    await page.click(`tr:has-text("${last}") a[title=Edit]`);
    await page.fill('#street_0', changed);
    await page.click('#btn_accountContainerSaveAccount');
    await page.waitForTimeout(1000);
    await page.click('#btn_accountContainerBackToList');
    await page.click(`tr:has-text("${last}") a[title=Edit]`);
    await page.waitForTimeout(600);
    await page.goto(`${origin}/templates/logout.php`);
    await page.waitForTimeout(500);
  },
};
