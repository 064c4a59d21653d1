// Shaarli from Debian's package: plain pages and forms with one-time tokens, data in a file. A bookmark is made, changed and looked at.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, startPhp } from '../stage.mjs';

export const app = {
  title: 'Shaarli 0.12: pages and forms, one-time tokens, a file as database',
  debian: ['shaarli', 'php-cli', 'php-xml', 'php-mbstring', 'php-intl', 'php-gd', 'php-curl'],
  takes: [
    {
      url: 'http://growers.example/peas',
      title: 'Frozen peas',
      tags: 'peas cold',
      changed: 'Frozen peas of May',
      more: 'Told by Ann',
      secret: false,
    },
    {
      url: 'http://growers.example/fish',
      title: 'Cooled fish',
      tags: 'fish',
      changed: 'Cooled fish at six',
      more: 'Told by Bea',
      secret: true,
    },
  ],
  async start({ folder }) {
    const site = join(folder, 'site');
    copySite('/usr/share/shaarli', site);
    for (const one of ['data', 'cache', 'pagecache', 'tmp']) {
      rmSync(join(site, one), { recursive: true, force: true });
      mkdirSync(join(site, one), { recursive: true });
    }
    // The package keeps its data in places of its own.
    const places = { '/var/lib/shaarli/data': 'data', '/var/cache/shaarli': '', '/usr/share/shaarli': '' };
    for (const file of ['application/config/ConfigManager.php', 'autoload.php', 'index.php', 'init.php']) {
      const path = join(site, file);
      const text = readFileSync(path, 'utf8');
      writeFileSync(
        path,
        Object.entries(places).reduce((all, [from, to]) => all.replaceAll(from, join(site, to).replace(/\/$/, '')), text),
      );
    }
    const php = await startPhp(site, 4847);
    const look = join(folder, 'look.php');
    writeFileSync(
      look,
      `<?php chdir(${JSON.stringify(site)}); require 'autoload.php';
$data = @file_get_contents('data/datastore.php');
if ($data === false) { echo '[]'; exit; }
$all = unserialize(gzinflate(base64_decode(substr($data, strlen('<?php /* '), -strlen(' */ ?>')))));
$out = []; foreach ($all as $one) $out[] = ['id' => $one->getId(), 'url' => $one->getUrl(), 'title' => $one->getTitle(), 'text' => $one->getDescription(), 'tags' => implode(' ', $one->getTags()), 'private' => $one->isPrivate()];
echo json_encode($out);`,
    );
    return {
      origin: php.origin,
      things: () =>
        JSON.parse(execFileSync('php', ['-d', 'error_reporting=0', look], { encoding: 'utf8' }))
          .filter((one) => one.url.includes('growers.example'))
          .map((one) => ({ id: String(one.id), text: JSON.stringify(one), done: one.text.includes('Told by') })),
      stop: php.stop,
    };
  },
  async prepare(page, origin) {
    await page.goto(`${origin}/`);
    await page.fill('#username', 'kim');
    await page.fill('#password', 'tulip-42');
    await page.fill('#title', 'Cold store');
    await page.click('[name=Save]');
    await page.waitForTimeout(500);
  },
  async flow(page, origin, { url, title, tags, changed, more, secret }) {
    await page.goto(`${origin}/login`);
    await page.fill('main [name=login] >> visible=true', 'kim');
    await page.fill('main [name=password] >> visible=true', 'tulip-42');
    await page.click('main [type=submit] >> visible=true');
    await page.waitForTimeout(500);
    await page.goto(`${origin}/admin/add-shaare`);
    await page.fill('#shaare', url);
    await page.keyboard.press('Enter');
    await page.waitForURL(/admin\/shaare/);
    await page.waitForTimeout(1500);
    await page.fill('#lf_title', title);
    await page.fill('#lf_tags', tags);
    if (secret) await page.check('#lf_private');
    await page.click('[name=save_edit]');
    await page.waitForTimeout(800);
    await page.click('a[aria-label=Edit] >> visible=true');
    await page.waitForTimeout(800);
    await page.fill('#lf_title', changed);
    await page.fill('#lf_description', more);
    await page.click('[name=save_edit]');
    await page.waitForTimeout(800);
    await page.click('a:has-text("permalink")');
    await page.waitForTimeout(800);
    await page.goto(`${origin}/admin/logout`);
    await page.waitForTimeout(500);
  },
};
