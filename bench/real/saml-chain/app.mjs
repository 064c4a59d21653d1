// A single sign-on by SAML 2.0 (SimpleSAMLphp as provider, Apache's module as service, both from Debian) in front of Shaarli without a door of
// its own: signed messages in forms that scripts send on, relay states, redirects over two origins.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { copySite, startApache, startPhp } from '../stage.mjs';
import { app as behind } from '../shaarli/app.mjs';

const origin = 'http://127.0.0.1:4867';
const provider = 'http://127.0.0.1:4868';

const keyPair = (folder, name) => {
  const [key, cert] = [join(folder, `${name}.pem`), join(folder, `${name}.crt`)];
  execFileSync(
    'openssl',
    ['req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-days', '30', '-subj', `/CN=${name}`, '-keyout', key, '-out', cert],
    {
      stdio: 'ignore',
    },
  );
  const bare = readFileSync(cert, 'utf8').replace(/-----[^-]+-----|\s/g, '');
  return { key, cert, bare };
};

export const app = {
  title: 'SAML in front of Shaarli: signed messages in forms, relay states',
  debian: [...behind.debian, 'apache2', 'libapache2-mod-auth-mellon', 'simplesamlphp', 'openssl'],
  takes: [
    {
      url: 'http://growers.example/leeks',
      title: 'Early leeks',
      tags: 'leeks',
      changed: 'Early leeks of March',
      more: 'Told by Cay',
      secret: true,
    },
    {
      url: 'http://growers.example/plums',
      title: 'Late plums',
      tags: 'plums late',
      changed: 'Late plums at noon',
      more: 'Told by Dan',
      secret: false,
    },
  ],
  async start({ folder }) {
    const shaarli = await behind.start({ folder });
    const site = join(folder, 'provider');
    copySite('/usr/share/simplesamlphp', site);
    const config = join(folder, 'provider-config');
    mkdirSync(join(config, 'metadata'), { recursive: true });
    keyPair(folder, 'idp');
    const service = keyPair(folder, 'service');
    writeFileSync(
      join(config, 'config.php'),
      `<?php $config = ['baseurlpath' => '${provider}/', 'certdir' => '${folder}/', 'loggingdir' => '${folder}/', 'datadir' => '${folder}/', 'tempdir' => '${folder}/tmp-saml',
'secretsalt' => 'made-up-salt-for-a-trial', 'auth.adminpassword' => 'tulip-42', 'technicalcontact_email' => 'kim@quay.example', 'timezone' => 'UTC', 'logging.handler' => 'file',
'store.type' => 'phpsession', 'enable.saml20-idp' => true, 'module.enable' => ['exampleauth' => true, 'core' => true, 'saml' => true], 'session.cookie.secure' => false,
'session.phpsession.cookiename' => 'Provider', 'session.cookie.samesite' => null, 'metadata.sources' => [['type' => 'flatfile', 'directory' => '${config}/metadata']], 'language.default' => 'en', 'theme.use' => 'default'];`,
    );
    writeFileSync(
      join(config, 'authsources.php'),
      "<?php $config = ['admin' => ['core:AdminPassword'], 'people' => ['exampleauth:UserPass', 'kim:tulip-42' => ['uid' => ['kim']]]];",
    );
    writeFileSync(
      join(config, 'metadata/saml20-idp-hosted.php'),
      "<?php $metadata['__DYNAMIC:1__'] = ['host' => '__DEFAULT__', 'privatekey' => 'idp.pem', 'certificate' => 'idp.crt', 'auth' => 'people'];",
    );
    writeFileSync(
      join(config, 'metadata/saml20-sp-remote.php'),
      `<?php $metadata['${origin}/mellon/metadata'] = ['AssertionConsumerService' => '${origin}/mellon/postResponse', 'SingleLogoutService' => '${origin}/mellon/logout'];`,
    );
    const php = await startPhp(join(site, 'www'), 4868, { owns: [site, config, folder], env: { SIMPLESAMLPHP_CONFIG_DIR: config } });
    const described = await (await fetch(`${provider}/saml2/idp/metadata.php`)).text();
    writeFileSync(join(folder, 'idp.xml'), described);
    writeFileSync(
      join(folder, 'service.xml'),
      `<EntityDescriptor entityID="${origin}/mellon/metadata" xmlns="urn:oasis:names:tc:SAML:2.0:metadata"><SPSSODescriptor protocolSupportEnumeration="urn:oasis:names:tc:SAML:2.0:protocol"><KeyDescriptor use="signing"><KeyInfo xmlns="http://www.w3.org/2000/09/xmldsig#"><X509Data><X509Certificate>${service.bare}</X509Certificate></X509Data></KeyInfo></KeyDescriptor><SingleLogoutService Binding="urn:oasis:names:tc:SAML:2.0:bindings:HTTP-Redirect" Location="${origin}/mellon/logout"/><AssertionConsumerService index="0" isDefault="true" Binding="urn:oasis:names:tc:SAML:2.0:bindings:HTTP-POST" Location="${origin}/mellon/postResponse"/></SPSSODescriptor></EntityDescriptor>`,
    );
    const apache = await startApache(folder, 4867, {
      modules: ['auth_mellon', 'setenvif'],
      behind: shaarli.origin,
      directives: `SetEnvIf Request_URI ".*" MELLON_DISABLE_SAMESITE=1
ProxyPass /mellon/ !
MellonLockFile ${folder}/apache/mellon-lock
<Location />
  MellonEnable auth
  AuthType Mellon
  Require valid-user
  MellonEndpointPath /mellon
  MellonSecureCookie Off
  MellonUser NAME_ID
  MellonSPPrivateKeyFile ${service.key}
  MellonSPCertFile ${service.cert}
  MellonSPMetadataFile ${join(folder, 'service.xml')}
  MellonIdPMetadataFile ${join(folder, 'idp.xml')}
</Location>`,
    });
    return {
      ...shaarli,
      origin,
      origins: [provider],
      inner: shaarli.origin,
      site: join(folder, 'site'),
      stop: () => {
        apache.stop();
        php.stop();
        shaarli.stop();
      },
    };
  },
  async prepare(page, _origin, { inner, site }) {
    await behind.prepare(page, inner);
    const file = join(site, 'data/config.json.php');
    writeFileSync(file, readFileSync(file, 'utf8').replace('"open_shaarli": false', '"open_shaarli": true'));
  },
  async flow(page, _origin, { url, title, tags, changed, more, secret }) {
    await page.goto(`${origin}/admin/add-shaare`);
    await page.fill('#username', 'kim');
    await page.fill('#password', 'tulip-42');
    await page.click('#submit_button, [type=submit]');
    await page.waitForTimeout(1500);
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
    await page.goto(`${origin}/mellon/logout?ReturnTo=${encodeURIComponent(`${origin}/`)}`);
    await page.waitForTimeout(800);
  },
};
