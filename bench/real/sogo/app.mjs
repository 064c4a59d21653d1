// SOGo from Debian's package: an address book in a single page, JSON over addresses with ids that the client draws, over PostgreSQL. A contact
// is made, changed and looked at.
import { join } from 'node:path';
import { answers, startApache, startPostgres, startProgram } from '../stage.mjs';

const origin = 'http://127.0.0.1:4870';

export const app = {
  title: 'SOGo 5: a single page, JSON, ids that the client draws',
  debian: ['sogo', 'memcached', 'apache2', 'postgresql-15'],
  takes: [
    { first: 'Ann', last: 'Hill', org: 'Peas and beans', changed: 'Harbour watch of May' },
    { first: 'Bea', last: 'Wood', org: 'Fish only', changed: 'Quay watch at night' },
  ],
  async start({ folder }) {
    const database = await startPostgres(folder, 4871);
    database.sql(
      "create table people (c_uid varchar primary key, c_name varchar, c_password varchar, c_cn varchar, mail varchar); insert into people values ('kim', 'kim', 'tulip-42', 'Kim', 'kim@quay.example')",
    );
    const cache = startProgram('memcached', ['-u', 'nobody', '-l', '127.0.0.1', '-p', '4872']);
    const at = 'postgresql://postgres@127.0.0.1:4871/app';
    const server = startProgram(
      'runuser',
      [
        '-u',
        'sogo',
        '--',
        '/usr/sbin/sogod',
        '-WOPort',
        '127.0.0.1:4873',
        '-WOLogFile',
        '-',
        '-WOPidFile',
        join(folder, 'sogo.pid'),
        '-WONoDetach',
        'YES',
        '-WOWorkersCount',
        '3',
        '-SOGoMemcachedHost',
        '127.0.0.1:4872',
        '-SOGoProfileURL',
        `${at}/sogo_user_profile`,
        '-OCSFolderInfoURL',
        `${at}/sogo_folder_info`,
        '-OCSSessionsFolderURL',
        `${at}/sogo_sessions_folder`,
        '-SOGoLoginModule',
        'Contacts',
        '-SOGoPageTitle',
        'Quay',
        '-SOGoTimeZone',
        'UTC',
        '-SOGoUserSources',
        `({type=sql;id=people;viewURL="${at}/people";canAuthenticate=YES;isAddressBook=NO;userPasswordAlgorithm=none;})`,
      ],
      { cwd: '/' },
    );
    await answers('http://127.0.0.1:4873/SOGo/');
    const apache = await startApache(folder, 4870, {
      modules: ['headers'],
      directives: `Alias /SOGo.woa/WebServerResources/ /usr/lib/GNUstep/SOGo/WebServerResources/
Alias /SOGo/WebServerResources/ /usr/lib/GNUstep/SOGo/WebServerResources/
<Directory /usr/lib/GNUstep/SOGo/>
  Require all granted
</Directory>
ProxyPass /SOGo.woa/WebServerResources/ !
ProxyPass /SOGo/WebServerResources/ !
ProxyPass /SOGo http://127.0.0.1:4873/SOGo retry=0
RequestHeader set x-webobjects-server-port 4870
RequestHeader set x-webobjects-server-name 127.0.0.1
RequestHeader set x-webobjects-server-url ${origin}
RequestHeader set x-webobjects-server-protocol HTTP/1.0`,
    });
    const card = (text) => text.replace(/\\n|\r?\n/g, ' ');
    return {
      origin,
      database,
      things: () => {
        const table = database
          .sql("select c_location from sogo_folder_info where c_folder_type = 'Contact'")
          .split('\n')[0]
          ?.split('/')
          .at(-1);
        if (!table) return [];
        return database
          .sql(
            `select c_name, replace(replace(c_content, chr(13), ''), chr(10), ' ') from ${table} where c_deleted is null or c_deleted = 0`,
          )
          .split('\n')
          .filter(Boolean)
          .map((line) => ({ id: line.split(' | ')[0], text: card(line), done: /watch/.test(line) }));
      },
      stop: () => {
        apache.stop();
        server.stop();
        cache.stop();
        database.stop();
      },
    };
  },
  async flow(page, _origin, { first, last, org, changed }) {
    const field = (name) => `[ng-model="editor.card.${name}"]`;
    await page.goto(`${origin}/SOGo/`);
    await page.waitForTimeout(1500);
    await page.fill('form input[type=text]', 'kim');
    await page.fill('#passwordField', 'tulip-42');
    await page.click('button[aria-label=Connect]');
    await page.waitForTimeout(4000);
    await page.click('button[aria-label="New Contact"]');
    await page.waitForTimeout(800);
    await page.locator('button[aria-label="Create a new address book card"]').click({ force: true });
    await page.fill(field('c_givenname'), first);
    await page.fill(field('c_sn'), last);
    await page.fill(field('org'), org);
    await page.click('button[aria-label=Save]');
    await page.waitForTimeout(2500);
    await page.evaluate(() => (globalThis.location.hash = globalThis.location.hash.replace(/\/view$/, '/edit')));
    await page.waitForTimeout(1500);
    await page.fill(field('title'), changed);
    await page.click('button[aria-label=Save]');
    await page.waitForTimeout(2500);
    await page.reload();
    await page.waitForTimeout(3000);
    await page.click('a[aria-label=Disconnect]');
    await page.waitForTimeout(1500);
  },
};
