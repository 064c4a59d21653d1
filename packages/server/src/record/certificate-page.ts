import type { ServerResponse } from 'node:http';
import type { CertificateAuthority } from './proxy/certificate-authority.js';

/** Ways to make a browser or a device trust the recorder, and to undo it; shown on the page and in the recording room. */
export const certificateSteps: { where: string; trust: string; remove: string }[] = [
  {
    where: 'Chromium on Linux',
    trust: 'Settings › Privacy and security › Security › Manage certificates › Authorities › Import. Tick “trust for websites”.',
    remove: 'The same list: choose “Made on this machine for recording only”, Delete.',
  },
  {
    where: 'Firefox',
    trust: 'Settings › Privacy & Security › Certificates › View Certificates › Authorities › Import. Tick “identify websites”.',
    remove: 'The same list: choose it, Delete or Distrust.',
  },
  {
    where: 'Windows',
    trust: 'Open the file › Install Certificate › Current User › Place in the store “Trusted Root Certification Authorities”.',
    remove: 'certmgr.msc › Trusted Root Certification Authorities › delete it there.',
  },
  {
    where: 'macOS',
    trust: 'Open the file: Keychain Access asks where; choose “login”. Open it there › Trust › Always Trust.',
    remove: 'Keychain Access › login › Certificates › delete it.',
  },
  {
    where: 'iPhone and iPad',
    trust:
      'Download it in Safari, then Settings › General › VPN & Device Management › install. Settings › General › About › Certificate Trust Settings › switch it on.',
    remove: 'Settings › General › VPN & Device Management › remove the profile.',
  },
  {
    where: 'Android',
    trust:
      'Settings › Security › Encryption & credentials › Install a certificate › CA certificate. Apps follow only if they allow it; browsers do.',
    remove: 'Settings › Security › Encryption & credentials › User credentials › remove it.',
  },
];

const escaped = (text: string): string => text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);

/** What the proxy itself answers: the certificate of its authority, and how to install and remove it. True where the certificate was given. */
export function certificatePage(path: string, response: ServerResponse, authority: CertificateAuthority): boolean {
  if (path.endsWith('.crt') || path.endsWith('.pem')) {
    response.writeHead(200, {
      'Content-Type': 'application/x-x509-ca-cert',
      'Content-Disposition': 'attachment; filename="sturdy-recording.crt"',
    });
    response.end(path.endsWith('.pem') ? authority.certificatePem : authority.certificateDer);
    return true;
  }
  const rows = certificateSteps
    .map(({ where, trust, remove }) => `<tr><th>${escaped(where)}<td>${escaped(trust)}<td>${escaped(remove)}`)
    .join('');
  response.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-store' });
  response.end(`<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Certificate of the recorder</title>
<style>body{font:16px/1.5 system-ui,sans-serif;background:#faf7f2;color:#1d2430;max-width:860px;margin:5vh auto;padding:0 18px}
a.get{display:inline-block;background:#a84a26;color:#fff;padding:10px 18px;border-radius:6px;text-decoration:none;font-weight:600}
table{border-collapse:collapse;font-size:14px}th,td{text-align:left;vertical-align:top;padding:8px 10px;border-bottom:1px solid #e4ddd1}
code{font-size:13px;overflow-wrap:anywhere}</style>
<h1>Certificate of the recorder</h1>
<p>This recorder reads HTTPS with certificates of its own. They are signed by an authority that was made on this machine and whose key
never leaves it. A browser or device records HTTPS once it trusts the authority.</p>
<p><a class="get" href="/sturdy-recording.crt">Download the certificate</a> &nbsp; or <a href="/sturdy-recording.pem">as PEM</a></p>
<p>SHA-256 <code>${escaped(authority.fingerprint)}</code></p>
<table><tr><th>Where<th>Trust it<th>Remove it afterwards</tr>${rows}</table>
<p><strong>Remove it when you have finished recording.</strong> Who holds the key of this machine could otherwise read that device's traffic.</p>`);
  return false;
}
