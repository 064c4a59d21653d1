// Adminer from Debian's package: sign in, insert a row, change it, view it, delete nothing, sign out; recorded twice, correlated,
// rehearsed, and then looked up in the table itself. usage: node bench/real/adminer.mjs [--keep]
import { mkdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { record, startDatabase, startPhp, tryBoth } from './stage.mjs';

const folder = join(tmpdir(), 'sturdy-adminer');
rmSync(folder, { recursive: true, force: true });
mkdirSync(folder, { recursive: true });
const database = await startDatabase(folder, 33307);
database.sql(
  "create database store; create user 'kim'@'127.0.0.1' identified by 'tulip'; create user 'kim'@'localhost' identified by 'tulip'; grant all on store.* to 'kim'@'127.0.0.1'; grant all on store.* to 'kim'@'localhost'; flush privileges;",
);
database.sql(
  'create table intake (id int auto_increment primary key, goods varchar(80), pallets int, changed int default 0); insert into intake (goods, pallets) values ("Herring", 4)',
  'store',
);
const php = await startPhp('/usr/share/adminer', 4812);
const home = `${php.origin}/adminer/index.php`;
try {
  const flow = (goods) => async (page) => {
    await page.goto(home);
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
    await page.fill('input[name="fields[pallets]"]', '22');
    await page.click('input[type=submit][value="Save"]');
    await page.waitForLoadState('networkidle');
    await page.locator('a[href*="edit=intake"][href*="where"]').last().click();
    await page.waitForLoadState('networkidle');
    await page.fill('input[name="fields[changed]"]', '1');
    await page.click('input[type=submit][value="Save"]');
    await page.waitForLoadState('networkidle');
    await page.click('input[name=logout]');
    await page.waitForLoadState('networkidle');
  };
  await record(join(folder, 'take-1.har'), flow('Frozen cod'));
  await record(join(folder, 'take-2.har'), flow('Blue mussels'));
  tryBoth(folder, [join(folder, 'take-1.har'), join(folder, 'take-2.har')], php.origin, () =>
    database.sql('select * from intake', 'store'),
  );
  if (process.argv.includes('--keep')) await new Promise(() => process.stdout.write(`Kept running: ${home}, ${folder}\n`));
} finally {
  php.stop();
  database.stop();
}
