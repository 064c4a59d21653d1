// Roundcube from Debian's package with a Dovecot of its own: pages and frames of scripts with request tokens, mail over IMAP, contacts in a
// database. A contact is made, changed and looked at.
import { execFileSync } from 'node:child_process';
import { chmodSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, startPhp, startProgram, wait } from '../stage.mjs';

const imapPort = 4851;

export const app = {
  title: 'Roundcube 1.6 with Dovecot: frames, request tokens in scripts and headers',
  debian: [
    'roundcube-core',
    'roundcube-sqlite3',
    'dovecot-imapd',
    'sqlite3',
    'php-cli',
    'php-sqlite3',
    'php-intl',
    'php-mbstring',
    'php-xml',
  ],
  takes: [
    { first: 'Ann', last: 'Harbour', mail: 'ann@growers.example', phone: '5550101', kind: 'Work', city: 'Quay' },
    { first: 'Ben', last: 'Mooring', mail: 'ben@growers.example', phone: '5550202', kind: 'Mobile', city: 'Pier' },
  ],
  async start({ folder }) {
    const mail = join(folder, 'mail');
    mkdirSync(mail, { recursive: true });
    chmodSync(folder, 0o777);
    execFileSync('chown', ['-R', 'www-data:www-data', mail]);
    const base = join(folder, 'dovecot');
    mkdirSync(base, { recursive: true });
    const config = join(folder, 'dovecot.conf');
    writeFileSync(
      config,
      `base_dir = ${base}
log_path = ${join(folder, 'dovecot.log')}
protocols = imap
ssl = no
disable_plaintext_auth = no
listen = 127.0.0.1
mail_location = maildir:${mail}/%u
first_valid_uid = 1
service imap-login {
  inet_listener imap {
    port = ${imapPort}
  }
  inet_listener imaps {
    port = 0
  }
}
passdb {
  driver = static
  args = password=tulip-42
}
userdb {
  driver = static
  args = uid=www-data gid=www-data home=${mail}/%u
}
`,
    );
    const dovecot = startProgram('dovecot', ['-F', '-c', config], { cwd: folder });
    await wait(1000);
    const site = join(folder, 'site');
    copySite('/var/lib/roundcube', site);
    rmSync(join(site, 'config'), { recursive: true, force: true });
    mkdirSync(join(site, 'config'));
    const database = join(folder, 'roundcube.db');
    execFileSync('sqlite3', [database], { input: readFileSync('/usr/share/roundcube/SQL/sqlite.initial.sql') });
    writeFileSync(
      join(site, 'config/config.inc.php'),
      `<?php $config = [];
$config['db_dsnw'] = 'sqlite:///${database}?mode=0666';
$config['imap_host'] = '127.0.0.1:${imapPort}';
$config['smtp_host'] = '127.0.0.1:4899';
$config['des_key'] = 'a made-up key of 24 sign';
$config['plugins'] = [];
$config['log_dir'] = '${join(site, 'logs')}';
$config['temp_dir'] = '${join(site, 'temp')}';
$config['enable_installer'] = false;`,
    );
    for (const file of ['defaults.inc.php', 'mimetypes.php']) copySite(`/etc/roundcube/${file}`, join(site, 'config', file));
    chmodSync(database, 0o666);
    const php = await startPhp(site, 4852, { env: { ROUNDCUBE_CONFIG_DIR: join(site, 'config') } });
    return {
      origin: php.origin,
      things: () =>
        execFileSync(
          'sqlite3',
          ['-separator', ' | ', database, 'select contact_id, name, email, firstname, surname, vcard from contacts where del = 0'],
          {
            encoding: 'utf8',
          },
        )
          .split(/\n(?=\d+ \| )/)
          .filter(Boolean)
          .map((text) => text.trim())
          .map((text) => ({ id: text.split(' | ')[0], text, done: /555010|555020/.test(text) })),
      stop: () => {
        php.stop();
        dovecot.stop();
      },
    };
  },
  async flow(page, origin, { first, last, mail, phone, kind, city }) {
    const inFrame = async (action) => {
      await page.waitForTimeout(1500);
      return page.frames().find((frame) => action.test(frame.url())) ?? page.mainFrame();
    };
    await page.goto(`${origin}/`);
    await page.fill('#rcmloginuser', 'kim');
    await page.fill('#rcmloginpwd', 'tulip-42');
    await page.click('#rcmloginsubmit');
    await page.waitForTimeout(1500);
    await page.click('a.contacts');
    await page.waitForTimeout(1500);
    await page.click('a.create');
    const adding = await inFrame(/_action=add/);
    await adding.fill('#ff_firstname', first);
    await adding.fill('#ff_surname', last);
    await adding.fill('#ff_email0', mail);
    await adding.click('#rcmbtnfrm100');
    await page.waitForTimeout(2000);
    await page.click(`#contacts-table tr:has-text("${last}")`);
    const showing = await inFrame(/_action=show/);
    await showing.click('button.edit');
    const editing = await inFrame(/_action=edit/);
    await editing.fill('#ff_phone0', phone);
    await editing.locator('select[name="_subtype_phone[]"]').selectOption({ label: kind });
    await editing.fill('input[name="_locality[]"]', city);
    await editing.click('button.submit');
    await page.waitForTimeout(2000);
    await page.click('a.logout');
    await page.waitForTimeout(800);
  },
};
