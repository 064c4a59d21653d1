// What the recorder adds to a request on loopback, one request at a time: the same requests without it and through it, in one run.
import { mkdtempSync, rmSync } from 'node:fs';
import { Agent, createServer, request } from 'node:http';
import { Agent as HttpsAgent, createServer as createHttps, request as httpsRequest } from 'node:https';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { connect as connectTls } from 'node:tls';
import { CertificateAuthority } from '../packages/server/dist/record/proxy/certificate-authority.js';
import { LiveHub } from '../packages/server/dist/live/live-hub.js';
import { Recorder } from '../packages/server/dist/record/recorder.js';

const rounds = 400;
const body = Buffer.alloc(4096, 'x');
const store = new Proxy({}, { get: () => () => Promise.resolve() });

/** Median time of one request at a time over a kept connection, in ms. */
async function median(ask) {
  const times = [];
  for (let round = 0; round < rounds + 50; round++) {
    const started = performance.now();
    await ask();
    if (round >= 50) times.push(performance.now() - started);
  }
  times.sort((left, right) => left - right);
  return times[times.length / 2];
}

const asking = (send, options) => () =>
  new Promise((done, failed) => {
    send(options, (answer) => answer.resume().on('end', done))
      .on('error', failed)
      .end();
  });

async function recordingOverhead() {
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-bench-'));
  const authority = await CertificateAuthority.open(join(folder, 'targets'));
  const { certificate: cert, key } = await authority.issue('127.0.0.1');
  const plain = createServer((_request, response) => response.end(body));
  const secure = createHttps({ cert, key }, (_request, response) => response.end(body));
  for (const one of [plain, secure]) await new Promise((done) => one.listen(0, '127.0.0.1', done));
  const [plainPort, securePort] = [plain.address().port, secure.address().port];
  const recorder = new Recorder(store, new LiveHub(), 0, join(folder, 'recorder'));
  const starting = performance.now();
  await recorder.start(
    'p',
    { name: 'bench', forNetwork: false, bodyLimitBytes: 1 << 20 },
    {
      targets: [`http://127.0.0.1:${plainPort}`, `https://127.0.0.1:${securePort}`],
      map: {},
      credentials: [],
      trust: { authorities: authority.certificatePem, checksCertificates: true },
      upstreamProxy: '',
    },
  );
  const startMs = performance.now() - starting;
  const { proxy } = recorder.current;
  const { port } = new URL(proxy);
  const agent = new Agent({ keepAlive: true, maxSockets: 1 });
  const secureAgent = new HttpsAgent({ keepAlive: true, maxSockets: 1, ca: authority.certificatePem });
  const ca = (await recorder.authority()).certificatePem;
  const tunnel = await new Promise((done) => {
    const socket = connect(port, '127.0.0.1', () => socket.write(`CONNECT 127.0.0.1:${securePort} HTTP/1.1\r\n\r\n`));
    socket.once('data', () => done(socket));
  });
  const tunnelled = connectTls({ socket: tunnel, ca, host: '127.0.0.1' });
  const proxyAgent = new HttpsAgent({ keepAlive: true, maxSockets: 1 });
  proxyAgent.createConnection = () => tunnelled;
  const asks = {
    direct: asking(request, { port: plainPort, agent }),
    recorded: asking(request, { port, path: `http://127.0.0.1:${plainPort}/`, agent: new Agent({ keepAlive: true, maxSockets: 1 }) }),
    secureDirect: asking(httpsRequest, { port: securePort, host: '127.0.0.1', agent: secureAgent }),
    secureRecorded: asking(httpsRequest, { port: securePort, host: '127.0.0.1', agent: proxyAgent }),
  };
  const figures = {};
  for (const [name, ask] of Object.entries(asks)) figures[name] = await median(ask);
  const stopping = performance.now();
  await recorder.stop();
  const stopMs = performance.now() - stopping;
  for (const one of [plain, secure]) {
    one.closeAllConnections();
    one.close();
  }
  for (const one of [agent, secureAgent, proxyAgent]) one.destroy();
  rmSync(folder, { recursive: true, force: true });
  return { ...figures, startMs, stopMs };
}

const figures = await recordingOverhead();
const line = (name, without, through) =>
  process.stdout.write(
    `  ${name.padEnd(22)} ${without.toFixed(2).padStart(6)} ms without  ${through.toFixed(2).padStart(6)} ms through the recorder  +${(through - without).toFixed(2)} ms\n`,
  );
process.stdout.write(`Recording, median of ${rounds} requests of 4 kB, one at a time, over a kept connection\n`);
line('HTTP', figures.direct, figures.recorded);
line('HTTPS', figures.secureDirect, figures.secureRecorded);
process.stdout.write(`  starts in ${figures.startMs.toFixed(0)} ms, stops in ${figures.stopMs.toFixed(0)} ms\n`);
process.exit();
