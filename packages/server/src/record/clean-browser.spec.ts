import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { onlyHere } from '../test/reach.js';
import { openCleanBrowser } from './clean-browser.js';
import { CertificateAuthority } from './proxy/certificate-authority.js';
import { TappingProxy } from './proxy/tapping-proxy.js';

const page = `<title>Gate</title><link rel="stylesheet" href="/style.css"><button onclick="fetch('/clicked')">Book <i>gate</i></button><script>
  addEventListener('load', () => setTimeout(() => {
    document.querySelector('button').click();
    dispatchEvent(new KeyboardEvent('keydown', { code: 'KeyB', ctrlKey: true, altKey: true, bubbles: true }));
    fetch('/sees?' + typeof window.sturdyTold);
    if (location.search === '') location.search = '?again';
  }, 300));
</script>`;

it('the clean browser records HTTPS without a warning, asks for every file each time, and tells what was clicked and pressed', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-clean-'));
  const authority = await CertificateAuthority.open(join(folder, 'recorder'));
  const targets = await CertificateAuthority.open(join(folder, 'targets'));
  const { certificate: cert, key } = await targets.issue('127.0.0.1');
  const server = createServer({ cert, key }, (request, response) => {
    const css = request.url === '/style.css';
    response.writeHead(200, { 'Content-Type': css ? 'text/css' : 'text/html', 'Cache-Control': css ? 'max-age=3600' : 'no-store' });
    response.end(css ? 'b{}' : request.url?.startsWith('/?') || request.url === '/' ? page : '');
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const origin = `https://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const asked: string[] = [];
  const refusedCertificates: string[] = [];
  const proxy = new TappingProxy({
    authority,
    refusal: (target) => (target === origin ? null : 'It is not allowed.'),
    upstream: { ...onlyHere, credentials: [], trust: { authorities: targets.certificatePem, checksCertificates: true }, upstreamProxy: '' },
    tap: {
      begin: (head) => {
        asked.push(new URL(head.url).pathname + new URL(head.url).search);
        return null;
      },
      refused: () => undefined,
      certificateRefused: (host) => refusedCertificates.push(host),
    },
    ownPage: (_path, response) => response.end(),
    clientPassword: null,
    shutOut: () => undefined,
  });
  await proxy.listen('127.0.0.1', 0);
  const clicked: string[] = [];
  const pressed: string[] = [];
  const gestures: string[] = [];
  const browser = openCleanBrowser({
    proxy: `http://127.0.0.1:${proxy.port}`,
    address: `${origin}/`,
    trustedKeyHash: await authority.leafKeyHash(),
    headless: true,
    clicked: (text) => clicked.push(text),
    shortcut: (key) => pressed.push(key),
    gesture: ({ act }) => gestures.push(act.kind),
  });
  try {
    for (let waited = 0; waited < 300 && asked.filter((path) => path.startsWith('/sees')).length < 2; waited++)
      await new Promise((done) => setTimeout(done, 100));
    // The page itself sees nothing of the listener.
    expect(new Set(asked.filter((path) => path.startsWith('/sees')))).toEqual(new Set(['/sees?undefined']));
    expect(asked.filter((path) => path === '/style.css').length).toBeGreaterThanOrEqual(2);
    expect(clicked[0]).toBe('Book gate');
    expect(pressed[0]).toBe('begin');
    // What the page does by itself is no gesture of a person.
    expect(gestures).toEqual(['go-to']);
    expect(refusedCertificates).toEqual([]);
  } finally {
    browser.close();
    await proxy.close();
    server.closeAllConnections();
    server.close();
    await new Promise((done) => setTimeout(done, 1500));
    rmSync(folder, { recursive: true, force: true });
  }
}, 60_000);

it('says what to do where there is no display', () => {
  const { DISPLAY, WAYLAND_DISPLAY } = process.env;
  delete process.env['DISPLAY'];
  delete process.env['WAYLAND_DISPLAY'];
  const wanted = {
    proxy: 'http://127.0.0.1:1',
    address: 'http://127.0.0.1:2/',
    trustedKeyHash: '',
    headless: false,
    clicked: () => undefined,
    shortcut: () => undefined,
    gesture: () => undefined,
  };
  expect(() => openCleanBrowser(wanted)).toThrow(
    /Set http:\/\/127.0.0.1:1 as the HTTP and HTTPS proxy .* install the certificate from http:\/\/127.0.0.1:1\//,
  );
  if (DISPLAY !== undefined) process.env['DISPLAY'] = DISPLAY;
  if (WAYLAND_DISPLAY !== undefined) process.env['WAYLAND_DISPLAY'] = WAYLAND_DISPLAY;
});
