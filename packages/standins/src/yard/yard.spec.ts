import { checkDigit, startYard, type Yard, type YardSettings } from '../index.js';

const container = (serial: number): string => {
  const firstTen = `TWCU${String(serial).padStart(6, '0')}`;
  return firstTen + String(checkDigit(firstTen));
};

/** A client that does by hand what the pages' scripts do. */
class Visitor {
  readonly cookies = new Map<string, string>();
  clientKey = '';
  constructor(readonly yard: Yard) {}

  async ask(
    method: string,
    path: string,
    options: { form?: Record<string, string>; body?: string; headers?: Record<string, string> } = {},
  ) {
    const answer = await fetch(this.yard.origin + path, {
      method,
      redirect: 'manual',
      headers: { Cookie: [...this.cookies].map((pair) => pair.join('=')).join('; '), ...options.headers },
      ...(options.form ? { body: new URLSearchParams(options.form) } : options.body === undefined ? {} : { body: options.body }),
    });
    for (const line of answer.headers.getSetCookie()) {
      const [name = '', value = ''] = (line.split(';')[0] ?? '').split('=');
      this.cookies.set(name, value);
    }
    const text = await answer.text();
    const field = (name: string) =>
      (new RegExp(`name="${name}" value="([^"]*)"`).exec(text)?.[1] ?? '').replace(/&#(\d+);/g, (_, code) =>
        String.fromCharCode(Number(code)),
      );
    return { status: answer.status, text, field, location: answer.headers.get('location') ?? '', etag: answer.headers.get('etag') ?? '' };
  }

  call = (method: string, path: string, headers: Record<string, string> = {}, body?: string) =>
    this.ask(method, path, {
      headers: { 'X-Client-Key': this.clientKey, 'X-Request-Id': crypto.randomUUID(), ...headers },
      ...(body === undefined ? {} : { body }),
    });

  async signIn(): Promise<string> {
    await this.ask('GET', '/');
    const page = await this.ask('GET', '/sign-in');
    const done = await this.ask('POST', '/sign-in', { form: { formKey: page.field('formKey'), user: 'mara', password: 'mara-pass' } });
    const desk = await this.ask('GET', done.location);
    this.clientKey = /"clientKey":"([^"]+)"/.exec(desk.text)?.[1] ?? '';
    return done.location;
  }

  async book(number: string, change: Record<string, string> = {}) {
    const page = await this.ask('GET', '/intakes/new');
    const draft = page.field('draft');
    return this.ask('POST', '/intakes/new', {
      form: {
        formKey: page.field('formKey'),
        pageState: page.field('pageState'),
        draft,
        openedAt: String(Date.now()),
        twin: this.cookies.get('yard_twin') ?? '',
        container: number,
        growerId: '310',
        cargo: JSON.stringify({ draft, goods: 'Cod', setpointC: -18, pallets: 20 }),
        ...change,
      },
    });
  }
}

const ended = 'Your visit has ended';
let yard: Yard;
const open = async (settings: Partial<YardSettings> = {}) => (yard = await startYard({ port: 0, serviceMeanMs: 1, ...settings }));
afterEach(() => yard.stop());

describe('Yard', () => {
  it('books, allocates, finds and releases, and the truth page knows it', async () => {
    const visitor = new Visitor(await open());
    const before = visitor.cookies.get('yard_visit');
    await visitor.signIn();
    expect(visitor.cookies.get('yard_visit')).not.toBe(before);
    const { location } = await visitor.book(container(1));
    const record = await visitor.call('GET', `${location}/record`);
    const list = await visitor.call('GET', '/api/bays?free=1');
    const bay = (JSON.parse(list.text) as { bays: { code: string }[] }).bays[2]?.code;
    const twin = { 'If-Match': record.etag, 'X-Twin': visitor.cookies.get('yard_twin') ?? '', 'Content-Type': 'application/json' };
    expect((await visitor.call('POST', `${location}/bay`, twin, JSON.stringify({ bay, pallets: 20 }))).status).toBe(200);
    // The version has changed with it, so the old one is refused.
    expect((await visitor.call('POST', `${location}/bay`, twin, JSON.stringify({ bay, pallets: 20 }))).status).toBe(409);
    const number = yard.truth().intakes[0]?.number ?? '';
    expect((await visitor.ask('GET', `/find/results?text=${number}`)).text).toContain(location);
    const version = (await visitor.call('GET', `${location}/record`)).etag.replaceAll('"', '');
    const release = (v: string) =>
      `<release><intake>${location.split('/').at(-1) ?? ''}</intake><version>${v}</version><sentAt>${new Date().toISOString()}</sentAt></release>`;
    expect(await visitor.call('POST', '/xml/release', {}, release('v0'))).toMatchObject({
      status: 200,
      text: expect.stringContaining('<fault>') as string,
    });
    expect((await visitor.call('POST', '/xml/release', {}, release(version))).text).toContain('<docket>RL-');
    expect(yard.truth()).toMatchObject({ bookedCount: 1, allocatedCount: 1, releasedCount: 1 });
  });

  it('answers a missing or stale session, a stale form key, nonce or client key with 200 and a page that says so', async () => {
    const visitor = new Visitor(await open());
    expect(await visitor.ask('GET', '/find')).toMatchObject({ status: 200, text: expect.stringContaining(ended) as string });
    const desk = await visitor.signIn();
    expect((await visitor.ask('GET', `${desk}x`)).text).toContain(ended);
    expect((await visitor.book(container(1), { formKey: 'used' })).text).toContain(ended);
    expect((await visitor.book(container(1), { twin: 'other' })).text).toContain(ended);
    expect((await visitor.call('GET', '/api/bays', { 'X-Client-Key': 'old' })).text).toContain(ended);
    expect(yard.truth().bookedCount).toBe(0);
  });

  it('answers 500 to a stale page state, and 200 with a fault to duplicate and wrong container numbers and to old clocks', async () => {
    const visitor = new Visitor(await open());
    await visitor.signIn();
    expect((await visitor.book(container(1), { pageState: 'c3RhbGU=.c2lnbg==' })).status).toBe(500);
    expect((await visitor.book(container(1))).status).toBe(303);
    const twice = await visitor.book(container(1));
    expect([twice.status, twice.text.includes(`role="alert">Container ${container(1)} was booked before`)]).toEqual([200, true]);
    expect((await visitor.book('TWCU0000011')).text).toContain('is not a container number');
    expect((await visitor.book(container(2), { openedAt: String(Date.now() - 3_600_000) })).text).toContain('open for too long');
    expect((await visitor.book(container(2), { cargo: '{"draft":"other"}' })).text).toContain('belongs to another draft');
    expect(yard.truth().bookedCount).toBe(1);
  });

  it('refuses a request id that was used before, and a bay that is taken', async () => {
    const visitor = new Visitor(await open());
    await visitor.signIn();
    const id = crypto.randomUUID();
    expect((await visitor.call('GET', '/api/bays', { 'X-Request-Id': id })).status).toBe(200);
    expect((await visitor.call('GET', '/api/bays', { 'X-Request-Id': id })).status).toBe(409);
  });

  it('refuses connections above its number of sessions, and takes them again when visits end', async () => {
    const visitor = new Visitor(await open({ maxSessions: 1 }));
    await visitor.signIn();
    await new Promise((done) => setTimeout(done, 300));
    // A new connection, not one that is kept open.
    const knock = () =>
      fetch(`${yard.origin}/metrics`, { headers: { Connection: 'close' } }).then(
        (answer) => answer.status,
        () => 'refused',
      );
    // The visitor's own connection goes on; whoever comes anew is refused.
    const page = await visitor.ask('GET', '/find');
    expect(page.text).toContain('Find intake');
    const otherVisitor = new Visitor(yard);
    await expect(Promise.all([otherVisitor.ask('GET', '/'), otherVisitor.ask('GET', '/'), otherVisitor.ask('GET', '/')])).rejects.toThrow(
      'fetch failed',
    );
    await visitor.ask('POST', '/sign-out', { form: { formKey: page.field('formKey') } });
    await new Promise((done) => setTimeout(done, 500));
    expect(await knock()).toBe(200);
  });

  it('shows OpenMetrics figures that follow from its queue', async () => {
    const visitor = new Visitor(await open({ workers: 1, serviceMeanMs: 40, serviceDistribution: 'fixed' }));
    await Promise.all(Array.from({ length: 5 }, () => visitor.ask('GET', '/goodbye')));
    const figures = await visitor.ask('GET', '/metrics');
    const value = (name: string) => Number(new RegExp(`^${name} (.*)$`, 'm').exec(figures.text)?.[1]);
    expect(value('yard_requests_served_total')).toBe(5);
    expect(value('yard_worker_busy_seconds_total')).toBeCloseTo(0.2, 1);
    expect(figures.text.trimEnd().endsWith('# EOF')).toBe(true);
  });
});
