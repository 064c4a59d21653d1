// Adminer from Debian's package: pages and forms over any table. A row is inserted, changed and looked at.
import { startDatabase, startPhp } from '../stage.mjs';

export const app = {
  title: 'Adminer 4.8: pages and forms, field names in brackets, conditions in addresses',
  debian: ['adminer', 'php-cli', 'php-mysql', 'mariadb-server'],
  takes: [
    { goods: 'Frozen cod', pallets: '22', changed: '1' },
    { goods: 'Blue mussels', pallets: '31', changed: '2' },
  ],
  async start({ folder }) {
    const database = await startDatabase(folder, 33307);
    database.sql(
      "create database store; create user 'kim'@'127.0.0.1' identified by 'tulip'; create user 'kim'@'localhost' identified by 'tulip'; grant all on store.* to 'kim'@'127.0.0.1'; grant all on store.* to 'kim'@'localhost'; flush privileges;",
    );
    database.sql(
      'create table intake (id int auto_increment primary key, goods varchar(80), pallets int, changed int default 0); insert into intake (goods, pallets) values ("Herring", 4)',
      'store',
    );
    const php = await startPhp('/usr/share/adminer', 4812, { owns: [] });
    return {
      origin: php.origin,
      things: () =>
        database
          .sql('select * from intake where id > 1', 'store')
          .split('\n')
          .filter(Boolean)
          .map((text) => text.trim())
          .map((text) => ({ id: text.split('\t')[0], text, done: /\t[12]$/.test(text) })),
      stop: () => {
        php.stop();
        database.stop();
      },
    };
  },
  async flow(page, origin, { goods, pallets, changed }) {
    await page.goto(`${origin}/adminer/index.php`);
    await page.fill('input[name="auth[server]"]', '127.0.0.1:33307');
    await page.fill('input[name="auth[username]"]', 'kim');
    await page.fill('input[name="auth[password]"]', 'tulip');
    await page.fill('input[name="auth[db]"]', 'store');
    await page.click('input[type=submit]');
    await page.waitForLoadState('networkidle');
    await page.click('#tables a[href*="select=intake"]');
    await page.waitForLoadState('networkidle');
    await page.click('a[href*="edit=intake"]');
    await page.waitForLoadState('networkidle');
    await page.fill('input[name="fields[goods]"]', goods);
    await page.fill('input[name="fields[pallets]"]', pallets);
    await page.click('input[type=submit][value="Save"]');
    await page.waitForLoadState('networkidle');
    await page.locator('a[href*="edit=intake"][href*="where"]').last().click();
    await page.waitForLoadState('networkidle');
    await page.fill('input[name="fields[changed]"]', changed);
    await page.click('input[type=submit][value="Save"]');
    await page.waitForLoadState('networkidle');
    await page.click('input[name=logout]');
    await page.waitForLoadState('networkidle');
  },
};
