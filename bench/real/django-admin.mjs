// The administration pages of Django from Debian's package: sign in, add a user, change it, view it, sign out; recorded twice,
// correlated, rehearsed, and then looked up in its database. Each page carries a token that is masked anew. usage:
// node bench/real/django-admin.mjs [--keep]
import { execFileSync, spawn } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { record, tryBoth, wait } from './stage.mjs';

const folder = join(tmpdir(), 'sturdy-django');
rmSync(folder, { recursive: true, force: true });
mkdirSync(folder, { recursive: true });
const python = (...args) =>
  execFileSync('/usr/bin/python3', args, { cwd: folder, encoding: 'utf8', env: { ...process.env, DJANGO_SUPERUSER_PASSWORD: 'tulip-42' } });
python('-m', 'django', 'startproject', 'store', folder);
writeFileSync(
  join(folder, 'store/extra.py'),
  'from .settings import *\nDEBUG = False\nALLOWED_HOSTS = ["127.0.0.1"]\nAUTH_PASSWORD_VALIDATORS = []\n',
);
python('manage.py', 'migrate', '--settings', 'store.extra');
python('manage.py', 'createsuperuser', '--noinput', '--username', 'kim', '--email', 'kim@example.test', '--settings', 'store.extra');
const server = spawn(
  '/usr/bin/python3',
  ['manage.py', 'runserver', '127.0.0.1:4813', '--noreload', '--insecure', '--settings', 'store.extra'],
  { cwd: folder, stdio: 'ignore' },
);
await wait(2500);
const origin = 'http://127.0.0.1:4813';
try {
  const flow = (name, first) => async (page) => {
    await page.goto(`${origin}/admin/`);
    await page.fill('#id_username', 'kim');
    await page.fill('#id_password', 'tulip-42');
    await page.click('input[type=submit]');
    await page.click('a[href="/admin/auth/user/add/"]');
    await page.fill('#id_username', name);
    await page.fill('#id_password1', 'harbour-77');
    await page.fill('#id_password2', 'harbour-77');
    await page.click('input[name=_save]');
    await page.fill('#id_first_name', first);
    await page.check('#id_is_staff');
    await page.click('input[name=_save]');
    await page.waitForLoadState('networkidle');
    await page.click(`th.field-username a:has-text("${name}")`);
    await page.waitForLoadState('networkidle');
    await page.click('#logout-form button, a[href="/admin/logout/"]');
    await page.waitForLoadState('networkidle');
  };
  await record(join(folder, 'take-1.har'), flow('grower-one', 'Ann'));
  await record(join(folder, 'take-2.har'), flow('grower-two', 'Bea'));
  const look = () =>
    execFileSync(
      '/usr/bin/python3',
      [
        '-c',
        'import sqlite3;print("\\n".join(str(r) for r in sqlite3.connect("db.sqlite3").execute("select id, username, first_name, is_staff from auth_user")))',
      ],
      { cwd: folder, encoding: 'utf8' },
    ).trim();
  tryBoth(folder, [join(folder, 'take-1.har'), join(folder, 'take-2.har')], origin, look);
  if (process.argv.includes('--keep')) await new Promise(() => process.stdout.write(`Kept running: ${origin}, ${folder}\n`));
} finally {
  server.kill();
}
