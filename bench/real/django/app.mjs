// The administration pages of Django from Debian's package: each page carries a token that is masked anew. A user is made, changed and
// looked at.
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { answers, startProgram } from '../stage.mjs';

const python = '/usr/bin/python3';

export const app = {
  title: 'Django 3.2 administration: pages and forms, masked tokens',
  debian: ['python3-django'],
  takes: [
    { name: 'grower-one', first: 'Ann' },
    { name: 'grower-two', first: 'Bea' },
  ],
  async start({ folder }) {
    const run = (...args) =>
      execFileSync(python, args, { cwd: folder, encoding: 'utf8', env: { ...process.env, DJANGO_SUPERUSER_PASSWORD: 'tulip-42' } });
    run('-m', 'django', 'startproject', 'store', folder);
    writeFileSync(
      join(folder, 'store/extra.py'),
      'from .settings import *\nDEBUG = False\nALLOWED_HOSTS = ["127.0.0.1"]\nAUTH_PASSWORD_VALIDATORS = []\n',
    );
    run('manage.py', 'migrate', '--settings', 'store.extra');
    run('manage.py', 'createsuperuser', '--noinput', '--username', 'kim', '--email', 'kim@example.test', '--settings', 'store.extra');
    const server = startProgram(
      python,
      ['manage.py', 'runserver', '127.0.0.1:4813', '--noreload', '--insecure', '--settings', 'store.extra'],
      { cwd: folder },
    );
    const origin = 'http://127.0.0.1:4813';
    await answers(`${origin}/admin/login/`);
    const query = 'select id, username, first_name, is_staff from auth_user where id > 1';
    return {
      origin,
      things: () =>
        run('-c', `import sqlite3;print("\\n".join(" | ".join(map(str, r)) for r in sqlite3.connect("db.sqlite3").execute("${query}")))`)
          .split('\n')
          .filter(Boolean)
          .map((text) => text.trim())
          .map((text) => ({ id: text.split(' | ')[0], text, done: / \| (Ann|Bea) \| 1$/.test(text) })),
      stop: server.stop,
    };
  },
  async flow(page, origin, { name, first }) {
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
  },
};
