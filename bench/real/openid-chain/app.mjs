// A single sign-on by OpenID Connect (a provider from the npm registry, Apache's module from Debian) in front of an application that has no
// door of its own: redirects over two origins, state, nonce and code, a page of consent.
import { copyFileSync } from 'node:fs';
import { join } from 'node:path';
import { answers, installNpm, startApache, startPostgres, startProgram } from '../stage.mjs';
import { app as behind } from '../adminjs/app.mjs';

export const app = {
  title: 'OpenID Connect in front of AdminJS: two origins, state, nonce, code, consent',
  debian: ['apache2', 'libapache2-mod-auth-openidc', 'postgresql-15'],
  npm: ['oidc-provider@8.6.1'],
  takes: [
    { title: 'Beans of the valley', pallets: '11', grower: 'Cedar', state: 'arrived' },
    { title: 'Ice of the morning', pallets: '23', grower: 'Fir', state: 'released' },
  ],
  async start({ folder, npmFolder }) {
    const database = await startPostgres(folder, 4863);
    const own = installNpm('adminjs', behind.npm);
    const host = join(own, 'server.mjs');
    copyFileSync(new URL('../adminjs/server.mjs', import.meta.url), host);
    const server = startProgram(process.execPath, [host, '4864', 'postgres://postgres@127.0.0.1:4863/app', 'open'], { cwd: own });
    await answers('http://127.0.0.1:4864/admin');
    const origin = 'http://127.0.0.1:4865';
    const providerHost = join(npmFolder, 'provider.mjs');
    copyFileSync(new URL('provider.mjs', import.meta.url), providerHost);
    const provider = startProgram(process.execPath, [providerHost, '4866', `${origin}/door/back`], { cwd: npmFolder });
    await answers('http://127.0.0.1:4866/.well-known/openid-configuration');
    const apache = await startApache(folder, 4865, {
      modules: ['auth_openidc'],
      behind: 'http://127.0.0.1:4864',
      directives: `OIDCProviderMetadataURL http://127.0.0.1:4866/.well-known/openid-configuration
OIDCClientID quay
OIDCClientSecret a-made-up-secret-of-enough-length
OIDCRedirectURI ${origin}/door/back
OIDCCryptoPassphrase a-made-up-passphrase
OIDCScope "openid"
OIDCSSLValidateServer Off
<Location />
  AuthType openid-connect
  Require valid-user
</Location>`,
    });
    return {
      origin,
      origins: ['http://127.0.0.1:4866'],
      things: () =>
        database
          .sql('select id, title, pallets, state, "growerId", chilled from intakes where id > 7 order by id')
          .split('\n')
          .filter(Boolean)
          .map((text) => text.trim())
          .map((text) => ({ id: text.split(' | ')[0], text, done: / \| (arrived|released) \| \d/.test(text) })),
      stop: () => {
        apache.stop();
        provider.stop();
        server.stop();
        database.stop();
      },
    };
  },
  async flow(page, origin, { title, pallets, grower, state }) {
    await page.goto(`${origin}/admin/resources/intakes`);
    await page.fill('[name=login]', 'kim');
    await page.fill('[name=password]', 'tulip-42');
    await page.click('button[type=submit]');
    await page.waitForTimeout(800);
    await page.click('button[type=submit]');
    await page.waitForTimeout(2500);
    await page.click('text=Create new');
    await page.waitForTimeout(1500);
    await page.fill('#title', title);
    await page.fill('#pallets', pallets);
    await page.locator('input[role=combobox]').nth(0).fill(grower.slice(0, 3));
    await page.waitForTimeout(1200);
    await page.click(`[class*=-option]:has-text("${grower}")`);
    await page.click('button[type=submit]');
    await page.waitForTimeout(2000);
    await page.click(`text=${title}`);
    await page.waitForTimeout(1500);
    await page.click('a:has-text("Edit")');
    await page.waitForTimeout(1500);
    await page.locator('input[role=combobox]').nth(1).click();
    await page.click(`[class*=-option]:has-text("${state}")`);
    await page.click('button[type=submit]');
    await page.waitForTimeout(2000);
    await page.click(`text=${title}`);
    await page.waitForTimeout(1500);
    await page.goto(`${origin}/door/back?logout=${encodeURIComponent(`${origin}/robots.txt`)}`);
    await page.click('button:has-text("Yes")');
    await page.waitForTimeout(800);
  },
};
