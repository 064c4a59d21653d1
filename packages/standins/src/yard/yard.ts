import { createHash } from 'node:crypto';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createSecureServer, type Http2SecureServer } from 'node:http2';
import { Server as TcpServer, type AddressInfo, type Socket } from 'node:net';
import { parseCookie } from 'cookie';
import { isContainerNumber } from './container-number.js';
import { openMetrics } from './metrics.js';
import { InspectionLine } from './inspection-line.js';
import * as pages from './pages.js';
import { seededRandom } from './random.js';
import { growers, YardRecords, type Intake } from './records.js';
import { ServiceQueue } from './service-queue.js';
import { isPageState, sealPageState, Visits, type Visit } from './sessions.js';
import { defaultYardSettings, type YardSettings } from './settings.js';
import { truthOf, truthPage, type Truth } from './truth.js';

const formOpenMs = 15 * 60_000;

interface Answer {
  status: number;
  headers?: Record<string, string | string[]>;
  body?: string;
}

interface Ask {
  method: string;
  url: URL;
  request: IncomingMessage;
  body: string;
  cookies: Record<string, string | undefined>;
}

/** A running Yard. */
export interface Yard {
  readonly origin: string;
  readonly settings: YardSettings;
  truth(): Truth;
  /** Worker queue, for tests that compare with theory. */
  readonly queue: ServiceQueue;
  stop(): Promise<void>;
}

const html = (body: string, status = 200, headers: Record<string, string | string[]> = {}): Answer => ({
  status,
  headers: { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-store', ...headers },
  body,
});
const json = (value: unknown, status = 200, headers: Record<string, string> = {}): Answer => ({
  status,
  headers: { 'Content-Type': 'application/json', 'Cache-Control': 'no-store', ...headers },
  body: JSON.stringify(value),
});
const xml = (body: string): Answer => ({
  status: 200,
  headers: { 'Content-Type': 'text/xml; charset=utf-8' },
  body: `<?xml version="1.0"?>${body}`,
});
const redirect = (location: string, headers: Record<string, string | string[]> = {}): Answer => ({
  status: 303,
  headers: { Location: location, ...headers },
});

/** Starts Yard on 127.0.0.1 and resolves once it listens. Rejects where the port is taken. */
export async function startYard(wanted: Partial<YardSettings> = {}): Promise<Yard> {
  const settings: YardSettings = { ...defaultYardSettings, ...wanted };
  const yard = new YardApplication(settings);
  await yard.listen();
  return yard;
}

class YardApplication implements Yard {
  readonly queue: ServiceQueue;
  readonly #records: YardRecords;
  readonly #visits: Visits;
  readonly #line: InspectionLine;
  readonly #secret: string;
  readonly #server: Server | Http2SecureServer;
  readonly #sockets = new Set<Socket>();
  readonly #startedAt = Date.now();
  readonly #token: (bytes: number) => string;
  readonly #sweeper: NodeJS.Timeout;
  #port = 0;
  #stopped = false;

  constructor(readonly settings: YardSettings) {
    const random = seededRandom(settings.seed);
    let drawn = 0;
    this.#token = (bytes) =>
      createHash('sha256')
        .update(`${settings.seed}:${this.#startedAt}:${++drawn}:${random()}`)
        .digest('base64url')
        .slice(0, Math.ceil((bytes * 4) / 3));
    this.#secret = this.#token(24);
    this.queue = new ServiceQueue({ ...settings, random: seededRandom(settings.seed + 1) });
    this.#records = new YardRecords({ ...settings, random: seededRandom(settings.seed + 2), token: this.#token });
    this.#visits = new Visits(this.#token, settings.sessionIdleSeconds * 1000);
    this.#line = new InspectionLine(this.#records, this.#token, seededRandom(settings.seed + 3));
    if (settings.certificate === '') {
      const plain = createServer((request, response) => void this.#handle(request, response));
      plain.keepAliveTimeout = 65_000;
      this.#server = plain;
    } else
      this.#server = createSecureServer({ cert: settings.certificate, key: settings.key, allowHTTP1: true }, (request, response) => {
        // The compatibility layer of HTTP/2 has what is used here of both.
        void this.#handle(request as unknown as IncomingMessage, response as unknown as ServerResponse);
      });
    this.#server.on('upgrade', (request: IncomingMessage, socket: Socket, head: Buffer) => {
      this.#line.upgrade(request, socket, head);
    });
    this.#server.on('connection', (socket: Socket) => {
      this.#sockets.add(socket);
      socket.once('close', () => this.#sockets.delete(socket));
    });
    this.#sweeper = setInterval(() => {
      this.#visits.sweep();
      this.#openOrRefuse();
    }, 200).unref();
  }

  get origin(): string {
    return `${this.settings.certificate === '' ? 'http' : 'https'}://127.0.0.1:${this.#port}`;
  }

  truth(): Truth {
    return truthOf(this.#records.intakes.values(), this.#visits.signedIn);
  }

  listen(): Promise<void> {
    return new Promise((done, failed) => {
      this.#server.once('error', failed);
      this.#server.listen(this.settings.port, '127.0.0.1', 1024, () => {
        this.#port = (this.#server.address() as AddressInfo).port;
        done();
      });
    });
  }

  async stop(): Promise<void> {
    this.#stopped = true;
    clearInterval(this.#sweeper);
    this.#line.close();
    for (const socket of this.#sockets) socket.destroy();
    if (this.#server.listening) await new Promise((done) => this.#server.close(done));
  }

  /** Above the number of sessions the port is closed, so that a client sees "connection refused". */
  #openOrRefuse(): void {
    if (this.#stopped) return;
    const full = this.#visits.signedIn >= this.settings.maxSessions;
    // Closing as a TCP server leaves the connections of those who are in; closing as an HTTP server would cut them.
    if (full && this.#server.listening) TcpServer.prototype.close.call(this.#server);
    else if (!full && !this.#server.listening) this.#server.listen(this.#port, '127.0.0.1', 1024);
  }

  async #handle(request: IncomingMessage, response: ServerResponse): Promise<void> {
    try {
      const chunks: Buffer[] = [];
      for await (const chunk of request) chunks.push(chunk as Buffer);
      const ask: Ask = {
        method: request.method ?? 'GET',
        url: new URL(request.url ?? '/', this.origin),
        request,
        body: Buffer.concat(chunks).toString(),
        cookies: parseCookie(request.headers.cookie ?? ''),
      };
      const aside = this.#aside(ask) ?? (await this.#trouble(ask, response));
      if (aside === 'answered') return;
      if (aside) {
        this.#send(response, aside);
        return;
      }
      const spent = await this.queue.serve();
      const answer = await this.#business(ask);
      this.#openOrRefuse();
      this.#send(response, {
        ...answer,
        headers: { ...answer.headers, 'Server-Timing': `queue;dur=${spent.waitedMs.toFixed(1)}, work;dur=${spent.servedMs.toFixed(1)}` },
      });
    } catch (error) {
      // The client went away, or sent what is no request; Yard goes on.
      if (!response.headersSent && !response.destroyed)
        this.#send(response, html(pages.faultPage(500, error instanceof Error ? error.message : 'fault'), 500));
    }
  }

  #send(response: ServerResponse, answer: Answer): void {
    response.writeHead(answer.status, { ...answer.headers, 'Content-Length': Buffer.byteLength(answer.body ?? '') });
    response.end(answer.body);
  }

  /** Pages that are outside the business: files, truth and figures; they take no worker. */
  #aside({ method, url, body }: Ask): Answer | undefined {
    const cached = { 'Cache-Control': 'max-age=3600' };
    switch (url.pathname) {
      case '/assets/yard.css':
        return { status: 200, headers: { 'Content-Type': 'text/css', ...cached }, body: pages.styleSheet };
      case '/assets/yard.js':
        return { status: 200, headers: { 'Content-Type': 'text/javascript', ...cached }, body: pages.pageScript };
      case '/metrics':
        return {
          status: 200,
          headers: { 'Content-Type': 'application/openmetrics-text; version=1.0.0; charset=utf-8' },
          body: openMetrics({
            queue: this.queue,
            sessions: this.#visits.signedIn,
            intakes: this.#records.intakes.size,
            startedAt: this.#startedAt,
          }),
        };
      case '/truth':
        return html(truthPage(this.truth()));
      case '/truth.json':
        return json(this.truth());
      case '/truth/settings':
        if (method === 'POST') {
          const changes = JSON.parse(body) as Partial<YardSettings>;
          Object.assign(this.settings, changes);
          Object.assign(this.queue.options, changes);
        }
        return json(this.settings);
      case '/truth/end-visits':
        for (const visit of [...this.#visits.all]) this.#visits.end(visit);
        return json({ signedInSessions: 0 });
      default:
        return undefined;
    }
  }

  /** Faults on demand, as real systems have them. */
  async #trouble({ url, request }: Ask, response: ServerResponse): Promise<Answer | 'answered' | undefined> {
    if (!url.pathname.startsWith('/trouble/')) return undefined;
    switch (url.pathname.slice('/trouble/'.length)) {
      case 'slow':
        await new Promise((done) => setTimeout(done, Math.min(60_000, Number(url.searchParams.get('ms') ?? 3000))));
        return html(pages.faultPage(200, 'Slow, but here'));
      case 'reset':
        request.socket.resetAndDestroy();
        return 'answered';
      case 'garbage':
        response.socket?.end('\u0001\u0002 this is no HTTP\r\n\r\n');
        return 'answered';
      case 'cut':
        response.writeHead(200, { 'Content-Type': 'text/plain', 'Content-Length': 1000 });
        response.write('only the beginning');
        setTimeout(() => request.socket.destroy(), 20);
        return 'answered';
      default:
        return html(pages.faultPage(404, 'No such page'), 404);
    }
  }

  async #business(ask: Ask): Promise<Answer> {
    const { method, url, cookies } = ask;
    const path = url.pathname;
    const visit = this.#visits.find(cookies['yard_visit']);
    if (path === '/' && method === 'GET') return this.#welcome(visit);
    if (path === '/goodbye') return html(pages.goodbyePage());
    if (path === '/sign-in') return this.#signIn(ask, visit);

    if (visit?.user == null) return html(pages.visitEndedPage());
    if (path.startsWith('/desk/'))
      return path === `/desk/${visit.deskNonce}`
        ? html(pages.deskPage(visit.user, visit.clientKey, this.#visits.newFormKey(visit)))
        : html(pages.visitEndedPage());
    if (path === '/sign-out' && method === 'POST') {
      if (!this.#visits.takeFormKey(visit, new URLSearchParams(ask.body).get('formKey') ?? undefined)) return html(pages.visitEndedPage());
      this.#visits.end(visit);
      return redirect('/goodbye', { 'Set-Cookie': 'yard_visit=; Path=/; Max-Age=0' });
    }
    if (path === '/inspection') return html(pages.inspectionPage(this.#line.newTicket(visit), this.#visits.newFormKey(visit)));
    if (path === '/find') return html(pages.findPage(this.#visits.newFormKey(visit)));
    if (path === '/find/results') {
      const text = url.searchParams.get('text') ?? '';
      const found = [this.#records.findByNumber(text) ?? this.#records.findByContainer(text)].filter((intake) => intake !== undefined);
      return html(pages.foundPage(text, found, this.#visits.newFormKey(visit)));
    }
    if (path === '/intakes/new') return method === 'POST' ? this.#book(ask, visit) : this.#newIntake(visit);

    const record = /^\/intakes\/(\d+)(\/record|\/bay)?$/.exec(path);
    if (record) {
      const intake = this.#records.intakes.get(Number(record[1]));
      if (!intake) return html(pages.faultPage(404, 'No such intake'), 404);
      if (!record[2]) return html(pages.intakePage(intake, this.#visits.newFormKey(visit)));
      const refused = this.#refuseCall(ask, visit);
      if (refused) return refused;
      if (record[2] === '/record')
        return json({ id: intake.id, pallets: intake.pallets, bay: intake.bay }, 200, { ETag: `"${intake.version}"` });
      return this.queue.withLock(() => this.#allocate(ask, visit, intake));
    }
    const refused = this.#refuseCall(ask, visit);
    if (refused) return refused;
    if (path === '/api/growers') {
      const text = (url.searchParams.get('q') ?? '').toLowerCase();
      return json({ growers: growers.filter((grower) => grower.name.toLowerCase().includes(text)) });
    }
    if (path === '/api/bays')
      return json({
        bays: this.#records.offerBays(visit.label, this.settings.baysOffered).map(({ code, zone, capacity }) => ({ code, zone, capacity })),
      });
    if (path === '/api/inspections' && method === 'POST') return this.#inspect(ask);
    if (path === '/xml/release' && method === 'POST') return this.#release(ask);
    return html(pages.faultPage(404, 'No such page'), 404);
  }

  #welcome(visit: Visit | undefined): Answer {
    const ownVisit = visit ?? this.#visits.open();
    return html(pages.welcomePage(), 200, {
      'Set-Cookie': [`yard_visit=${ownVisit.id}; Path=/; HttpOnly`, `yard_twin=${ownVisit.twin}; Path=/`],
    });
  }

  #signIn(ask: Ask, visit: Visit | undefined): Answer {
    if (!visit) return html(pages.visitEndedPage());
    if (ask.method !== 'POST') return html(pages.signInPage(this.#visits.newFormKey(visit)));
    const form = new URLSearchParams(ask.body);
    if (!this.#visits.takeFormKey(visit, form.get('formKey') ?? undefined)) return html(pages.visitEndedPage());
    const user = form.get('user') ?? '';
    if (user === '' || form.get('password') !== `${user}-pass`)
      return html(pages.signInPage(this.#visits.newFormKey(visit), 'User and password do not match.'));
    this.#visits.signIn(visit, user);
    return redirect(`/desk/${visit.deskNonce}`, { 'Set-Cookie': `yard_visit=${visit.id}; Path=/; HttpOnly` });
  }

  #newIntake(visit: Visit, notice?: string): Answer {
    return html(
      pages.newIntakePage({
        formKey: this.#visits.newFormKey(visit),
        pageState: sealPageState(this.#secret, visit, 'intake', this.#token),
        draft: this.#newGuid(),
        ...(notice === undefined ? {} : { notice }),
      }),
    );
  }

  #newGuid(): string {
    const hex = createHash('sha256').update(this.#token(24)).digest('hex');
    return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-4${hex.slice(13, 16)}-a${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
  }

  #book(ask: Ask, visit: Visit): Answer {
    const form = new URLSearchParams(ask.body);
    const field = (name: string) => form.get(name) ?? '';
    if (!isPageState(this.#secret, visit, 'intake', field('pageState')))
      return html(pages.faultPage(500, 'The state of this page cannot be read'), 500);
    if (!this.#visits.takeFormKey(visit, field('formKey'))) return html(pages.visitEndedPage());
    if (field('twin') !== visit.twin || ask.cookies['yard_twin'] !== visit.twin) return html(pages.visitEndedPage());
    if (Math.abs(Date.now() - Number(field('openedAt'))) > formOpenMs)
      return this.#newIntake(visit, 'This form was open for too long. Please enter the intake again.');
    let cargo: { draft?: string; goods?: string; setpointC?: number; pallets?: number };
    try {
      cargo = JSON.parse(field('cargo')) as typeof cargo;
    } catch {
      return this.#newIntake(visit, 'The cargo cannot be read.');
    }
    if (cargo.draft !== field('draft')) return this.#newIntake(visit, 'The cargo belongs to another draft.');
    const container = field('container');
    if (!isContainerNumber(container)) return this.#newIntake(visit, `${container} is not a container number.`);
    const before = this.#records.findByContainer(container);
    if (before) return this.#newIntake(visit, `Container ${container} was booked before, as ${before.number}.`);
    const growerId = Number(field('growerId'));
    if (!growers.some((grower) => grower.id === growerId)) return this.#newIntake(visit, 'Choose a grower from the list.');
    const pallets = Number(cargo.pallets);
    if (!Number.isInteger(pallets) || pallets < 1) return this.#newIntake(visit, 'Pallets must be 1 or more.');
    const intake = this.#records.book({
      container,
      growerId,
      goods: cargo.goods ?? '',
      setpointC: Number(cargo.setpointC),
      pallets,
      session: `${visit.label}, ${visit.user ?? ''}`,
    });
    return redirect(`/intakes/${intake.id}`);
  }

  /** Calls by script want the client key of the desk page and a request id that was never used before. */
  #refuseCall({ request }: Ask, visit: Visit): Answer | undefined {
    if (request.headers['x-client-key'] !== visit.clientKey) return html(pages.visitEndedPage());
    const id = String(request.headers['x-request-id'] ?? '');
    if (!/^[0-9a-f-]{36}$/.test(id) || visit.requestIds.has(id))
      return json({ error: 'The request id is missing or was used before.' }, 409);
    visit.requestIds.add(id);
    return undefined;
  }

  async #allocate(ask: Ask, visit: Visit, intake: Intake): Promise<Answer> {
    await new Promise((done) => setTimeout(done, this.settings.allocationLockMs));
    if (ask.request.headers['x-twin'] !== visit.twin) return html(pages.visitEndedPage());
    if (ask.request.headers['if-match'] !== `"${intake.version}"`) return json({ error: 'The record was changed by somebody else.' }, 409);
    const wanted = JSON.parse(ask.body) as { bay?: string; pallets?: number };
    const bay = this.#records.bays.find((candidate) => candidate.code === wanted.bay);
    if (!bay) return json({ error: `There is no bay ${wanted.bay ?? ''}.` }, 422);
    if (bay.intakeId !== null) return json({ error: `Bay ${bay.code} was taken.` }, 422);
    if (intake.pallets > bay.capacity || wanted.pallets !== intake.pallets)
      return json({ error: `Bay ${bay.code} holds ${bay.capacity} pallets.` }, 422);
    bay.intakeId = intake.id;
    intake.bay = bay.code;
    this.#records.touch(intake);
    return json({ bay: bay.code, intake: intake.id }, 200, { ETag: `"${intake.version}"` });
  }

  #inspect({ body }: Ask): Answer {
    const { seal } = JSON.parse(body) as { seal?: string };
    const intake = this.#line.takeSeal(seal ?? '');
    if (!intake) return json({ error: 'This seal does not hold.' }, 422);
    intake.inspectedAt = new Date().toISOString();
    return json({ inspected: intake.id });
  }

  #release({ body }: Ask): Answer {
    const tag = (name: string) => new RegExp(`<${name}>([^<]*)</${name}>`).exec(body)?.[1] ?? '';
    const fault = (code: string, text: string) => xml(`<fault><code>${code}</code><text>${text}</text></fault>`);
    const intake = this.#records.intakes.get(Number(tag('intake')));
    if (!intake) return fault('R1', 'There is no such intake.');
    if (tag('version') !== intake.version) return fault('R2', 'The record was changed by somebody else.');
    if (intake.docket !== null) return fault('R3', 'The load was released before.');
    if (intake.bay === null) return fault('R4', 'The load has no bay.');
    if (Math.abs(Date.now() - Date.parse(tag('sentAt'))) > formOpenMs) return fault('R5', 'The message is too old.');
    const bay = this.#records.bays.find((candidate) => candidate.code === intake.bay);
    if (bay) bay.intakeId = null;
    intake.docket = `RL-${intake.id}-${this.#token(3)}`;
    this.#records.touch(intake);
    return xml(`<released><docket>${intake.docket}</docket><intake>${intake.id}</intake></released>`);
  }
}
