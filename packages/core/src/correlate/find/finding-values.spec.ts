import { correlate, encode, recordedText, requestSteps, scriptFromTake, sentNodes, type LoadedTake, type Script } from '../../index.js';
import { everything } from '../../tidy/tidy.schema.js';
import { form, html, json, TakeBuilder } from '../../test/take-builder.js';

const scripted = (loaded: LoadedTake) => scriptFromTake(loaded, { scriptId: 's', name: 's', tidy: everything });
const correlated = (first: LoadedTake, second: LoadedTake | null = null): Script => correlate(scripted(first), first, second).script;
/** The script with each handoff replaced by its name in brackets, step by step. */
const sent = (script: Script) =>
  requestSteps(script).map(({ step }) => {
    const names = new Map([...script.handoffs, ...script.made].map((named) => [named.id, named.name]));
    const words = (template: typeof step.url): string =>
      template
        .map((piece) =>
          piece.kind === 'text'
            ? piece.text
            : piece.kind === 'wrap'
              ? `${piece.encoding}(${words(piece.pieces)})`
              : `[${names.get(piece.kind === 'handoff' ? piece.handoff : piece.kind === 'made' ? piece.made : '') ?? piece.kind}]`,
        )
        .join('');
    return words(step.url) + (step.body ? ` ${words(step.body)}` : '');
  });

describe('places that a header gives', () => {
  const flow = (header: [string, string], path: string) =>
    new TakeBuilder()
      .add(['POST', '/new', form, 'a=b'], [302, [header]])
      .add(['GET', path], [200, html, '<p>ok</p>'])
      .load();
  const reads = (script: Script) =>
    script.handoffs.map(({ extractor, recorded }) => [extractor.kind, extractor.unwrap, extractor.within, recorded]);

  it('reads the first segment of an address that is absolute', () => {
    const room = (id: string) => flow(['Location', `http://127.0.0.1:1/${id}/lobby`], `/${id}/lobby`);
    const script = correlated(room('k3t9x2w7p1'), room('m8r4z6q2n5'));
    expect(reads(script)).toEqual([['header', 'target', { left: '/', right: '/' }, 'k3t9x2w7p1']]);
  });

  it('reads a part of a cookie that holds JSON', () => {
    const cookie = (key: string) =>
      flow(['Set-Cookie', `desk=${encodeURIComponent(JSON.stringify({ lang: 'en', key }))}; Path=/`], `/live?key=${key}`);
    const script = correlated(cookie('a7fe23c9b1d04e58'), cookie('91bc03ffe7a24d60'));
    expect(reads(script)).toEqual([['cookie', 'component', { left: 'key":"', right: '"' }, 'a7fe23c9b1d04e58']]);
  });
});

describe('an answer that the second take lacks', () => {
  const assertion = (id: string) => Buffer.from(`<Response ID="_${id}"><Assertion ID="_${id}9f"/></Response>`).toString('base64');
  const flow = (id: string, page: string) =>
    new TakeBuilder()
      .add(['POST', '/sign-in', form, 'user=kim'], page === '' ? [200, html] : [200, html, page])
      .add(['POST', '/enter', form, `Response=${encodeURIComponent(assertion(id))}&mode=4`], [200, html, '<p>in</p>'])
      .load();
  const page = (id: string) => `<form action="/enter"><input type="hidden" name="Response" value="${assertion(id)}"></form><p>4</p>`;
  const [first, second] = ['4c81e07fd2a6', 'e93b5a1d7f08'];

  it('is not asked: the first take alone says where a value came from that differs, and nothing within it is drawn', () => {
    const script = correlated(flow(first, page(first)), flow(second, ''));
    expect(sent(script)[1]).toBe('/enter Response=form([response])&mode=4');
    expect(script.handoffs).toMatchObject([{ evidence: 'likely', extractor: { kind: 'field', name: 'Response' } }]);
    expect([script.made, script.unsure]).toEqual([[], []]);
  });

  it('is asked where it is there, and gives something else', () => {
    const script = correlated(flow(first, page(first)), flow(second, page(first)));
    expect(script.handoffs).toEqual([]);
  });
});

describe('a row that was picked', () => {
  const flow = (free: string[], picked: number) =>
    new TakeBuilder()
      .add(['GET', '/free'], [200, html, free.map((id) => `<tr><td>${id}<td><a href="/free/${id}/take">Take</a>`).join('')])
      .add(['GET', `/free/${free[picked]}/take`], [200, html, '<p>ok</p>'])
      .load();

  it('may be any where another one was picked the second time, of a list that was another', () => {
    const script = correlated(flow(['7001', '7052', '7103'], 0), flow(['7003', '7054', '7105'], 1));
    expect(script.handoffs).toMatchObject([{ evidence: 'proven', extractor: { kind: 'attribute', attribute: 'href', pick: 'any' } }]);
  });

  it('is the choice of the tester where both lists were the same', () => {
    expect(correlated(flow(['7001', '7052'], 0), flow(['7001', '7052'], 1)).handoffs).toEqual([]);
  });
});

describe('values in all places', () => {
  const page = (body: string) => (value: string, id: string) => body.replace(/VALUE/g, value).replace(/ID/g, id);
  const flow =
    (answer: string, ask: (value: string, id: string) => [string, string, typeof form?, string?]) => (value: string, id: string) =>
      new TakeBuilder()
        .add(['GET', '/page'], [200, html, page(answer)(value, id)])
        .add(ask(value, id), [200, html, '<p>ok</p>'])
        .load();

  it.each<[string, ReturnType<typeof flow>, string]>([
    ['a field name', flow('<input name="qty[ID]" value="1">', (_, id) => ['POST', '/a', form, `qty%5B${id}%5D=4`]), '/a form([qty])=4'],
    [
      'a condition',
      flow('<b data-order="ID"></b>', (_, id) => ['GET', `/a?where=${encodeURIComponent(`id = ${id}`)}`]),
      '/a?where=percent(id = [id])',
    ],
    [
      'JSON under base64 in a query',
      flow('<i id="x" data-key="VALUE"></i>', (value) => [
        'GET',
        `/a?s=${encodeURIComponent(encode('base64', JSON.stringify({ ref: value })))}`,
      ]),
      '/a?s=form(base64({"ref":"json([ref])"}))',
    ],
    [
      'a multipart field',
      flow('<input type=hidden name=t value="VALUE">', (value) => [
        'POST',
        '/a',
        [['Content-Type', 'multipart/form-data; boundary=x']],
        `--x\r\nContent-Disposition: form-data; name="t"\r\n\r\n${value}\r\n--x--\r\n`,
      ]),
      '/a --x\r\nContent-Disposition: form-data; name="t"\r\n\r\n[t]\r\n--x--\r\n',
    ],
    [
      'an id in a path among other signs',
      flow('<a id="open" href="/show/item-ID.html">x</a>', (_, id) => ['GET', `/show/item-${id}.html`]),
      '/show/percent([show])',
    ],
    [
      'JSON that is percent-encoded twice',
      flow('<i id="x" data-key="VALUE"></i>', (value) => [
        'GET',
        `/a?s=${encodeURIComponent(encodeURIComponent(JSON.stringify({ ref: value, at: 'top' })))}`,
      ]),
      '/a?s=form(component({"ref":"json([ref])","at":"top"}))',
    ],
    [
      'a credential in base64 behind a fixed name, which is not drawn at random',
      flow('<script>start({"token":"VALUE"})</script>', (value) => [
        'POST',
        '/a',
        form,
        `s=${encodeURIComponent(encode('base64', `x:${value}`))}`,
      ]),
      '/a s=form(base64(x:[x]))',
    ],
    [
      'a JSON key',
      flow('<li id="n" data-line="VALUE">x</li>', (value) => ['POST', '/a', json, JSON.stringify({ lines: { [value]: 2 } })]),
      '/a {"lines":{"json([lines])":2}}',
    ],
  ])('%s', (_name, make, expected) => {
    const script = correlated(make('a7fe23c9b1d04e58', '4711'), make('91bc03ffe7a24d60', '5133'));
    expect(sent(script)[1]?.replace(/json\((\[[^\]]+\])\)/g, 'json($1)')).toBe(expected);
    // What was recorded can always be had back.
    expect(recordedText(requestSteps(script)[1]?.step.url ?? [])).toBe(
      recordedText(requestSteps(scripted(make('a7fe23c9b1d04e58', '4711')))[1]?.step.url ?? []),
    );
  });

  it('reads one handoff wherever a token rotates, and sends the latest', () => {
    const rotating = (a: string, b: string) =>
      new TakeBuilder()
        .add(['GET', '/one'], [200, html, `<input type=hidden name=token value="${a}">`])
        .add(['POST', '/one', form, `token=${a}`], [200, html, `<input type=hidden name=token value="${b}">`])
        .add(['POST', '/two', form, `token=${b}`], [200, html, ''])
        .load();
    const script = correlated(rotating('tok-1a', 'tok-2b'), rotating('tok-3c', 'tok-4d'));
    expect(script.handoffs).toMatchObject([{ origin: 's1', also: [{ step: 's2' }], extractor: { kind: 'field', name: 'token' } }]);
    expect(sent(script)).toEqual(['/one', '/one token=form([token])', '/two token=form([token])']);
  });

  it('sends an id in the case in which the client sent it, though the page has another', () => {
    const take = new TakeBuilder()
      .add(['GET', '/p'], [200, html, '<div id="r" data-uid="0B9CF2A4-6D0E-4F6A-9A59-3F1F7C1F2E10"></div>'])
      .add(['GET', '/open?uid=0b9cf2a4-6d0e-4f6a-9a59-3f1f7c1f2e10'], [200, html, ''])
      .load();
    expect(sent(correlated(take))[1]).toBe('/open?uid=form(lower([uid]))');
  });

  it('reads a token from an inline script whose signs are escaped, and from a part of a cookie', () => {
    const make = (token: string, part: string) =>
      new TakeBuilder()
        .add(
          ['GET', '/p'],
          [
            200,
            [...html, ['Set-Cookie', `visit=v1.${part}.9; Path=/`]],
            `<script>var c={"requestKey":"${token.replace(/\//g, '\\/')}"}</script>`,
          ],
        )
        .add(['POST', '/do', json, JSON.stringify({ key: token, visit: part })], [200, json, '{}'])
        .load();
    const script = correlated(make('aa/bb/cc11', 'e4f7a9c2d1'), make('dd/ee/ff22', '77aa00bb11'));
    expect(script.handoffs).toMatchObject([
      { recorded: 'aa/bb/cc11', extractor: { kind: 'between', decode: ['json'] } },
      { recorded: 'e4f7a9c2d1', extractor: { kind: 'cookie', name: 'visit', within: { left: '.', right: '.' } } },
    ]);
  });

  it('picks the row in which stands what was typed, at the end where new rows stand', () => {
    const rows = (names: string[]) =>
      `<table>${names.map((name, at) => `<tr><td>${name}</td><td><a href="/edit?id=${at + 1}">edit</a></td></tr>`).join('')}</table>`;
    const make = (before: string[], typed: string) =>
      new TakeBuilder()
        .add(['POST', '/add', form, `goods=${encodeURIComponent(typed)}`], [200, html, rows([...before, typed])])
        .add(['GET', `/edit?id=${before.length + 1}`], [200, html, ''])
        .load();
    const script = correlated(make(['Herring'], 'Frozen cod'), make(['Herring', 'Frozen cod'], 'Blue mussels'));
    expect(script.handoffs).toMatchObject([
      { recorded: '2', extractor: { kind: 'attribute', pick: 'last', beside: [{ kind: 'text', text: 'Frozen cod' }] } },
    ]);
  });

  it('takes neither what people typed and what comes back, nor a choice from a list, nor chance numbers for handoffs', () => {
    const make = (typed: string, bay: string) =>
      new TakeBuilder()
        .add(
          ['GET', '/new'],
          [200, html, '<select name=bay><option value="11">N</option><option value="12">S</option></select><p>3 of 20, year 2026</p>'],
        )
        .add(['POST', '/new', form, `title=${encodeURIComponent(typed)}&bay=${bay}&page=3&year=2026`], [200, html, `<h1>${typed}</h1>`])
        .add(['POST', '/change', form, `title=${encodeURIComponent(`${typed} again`)}`], [200, html, ''])
        .load();
    const script = correlated(make('Cod lot 7', '11'), make('Cod lot 8', '12'));
    expect([script.handoffs.map((handoff) => [handoff.recorded, JSON.stringify(handoff.extractor)]), script.unsure]).toEqual([[], []]);
  });

  it('knows the code verifier of a challenge (RFC 7636, appendix B)', () => {
    const [verifier, challenge] = ['dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk', 'E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM'];
    expect(encode('sha256-base64url', verifier)).toBe(challenge);
    const take = new TakeBuilder()
      .add(['GET', `/authorize?code_challenge=${challenge}&code_challenge_method=S256`], [200, html, ''])
      .add(['POST', '/token', form, `code_verifier=${verifier}`], [200, json, '{}'])
      .load();
    const script = correlated(take);
    expect(script.made).toMatchObject([{ made: 'verifier', recorded: verifier }]);
    expect(sent(script)).toEqual([
      '/authorize?code_challenge=form(sha256-base64url([code challenge]))&code_challenge_method=S256',
      '/token code_verifier=form([code challenge])',
    ]);
  });

  it('finds which digest of a value that was read is sent', () => {
    const make = (salt: string) =>
      new TakeBuilder()
        .add(['GET', '/p'], [200, html, `<input type=hidden name=salt value="${salt}">`])
        .add(['POST', '/a', form, `salt=${salt}&sig=${encode('sha256', salt)}`], [200, html, ''])
        .load();
    expect(sent(correlated(make('ab12cd34ef56'), make('ff00ee11dd22')))[1]).toBe('/a salt=form([salt])&sig=form(sha256([salt]))');
  });

  it('finds the digest of two values joined, one of which was read', () => {
    const make = (salt: string) =>
      new TakeBuilder()
        .add(['GET', '/p'], [200, html, `<input type=hidden name=salt value="${salt}">`])
        .add(['POST', '/a', form, `user=kim&salt=${salt}&proof=${encode('md5', `kim|${salt}`)}`], [200, html, ''])
        .load();
    expect(sent(correlated(make('ab12cd34ef56'), make('ff00ee11dd22')))[1]).toBe(
      '/a user=kim&salt=form([salt])&proof=form(md5(kim|[salt]))',
    );
  });

  it('is unsure of a digest of what it does not know, and draws nothing in its place', () => {
    const make = (proof: string) =>
      new TakeBuilder()
        .add(['GET', '/p'], [200, html, '<p>x</p>'])
        .add(['POST', '/a', form, `user=kim&proof=${encode('sha256', proof)}`], [200, html, ''])
        .load();
    const script = correlated(make('one'), make('two'));
    expect(script.made).toEqual([]);
    expect(script.unsure).toMatchObject([
      { place: 'form:proof', reason: expect.stringContaining('A page script may compute it.') as string },
    ]);
  });

  it('keeps cookies that page scripts made, and leaves those of the server to the cookie jar', () => {
    const take = new TakeBuilder()
      .add(['GET', '/p'], [200, [...html, ['Set-Cookie', 'sid=s1; Path=/']], ''])
      .add(['GET', '/q', [['Cookie', 'sid=s1; seen=banner']]], [200, html, ''])
      .load();
    expect(requestSteps(scripted(take))[1]?.step.headers).toEqual([{ name: 'Cookie', value: [{ kind: 'text', text: 'seen=banner' }] }]);
  });

  it('keeps an uploaded file apart from the fields around it, byte by byte', () => {
    const head =
      '--x\r\nContent-Disposition: form-data; name="token"\r\n\r\nt-1\r\n--x\r\nContent-Disposition: form-data; name="f"; filename="a.png"\r\n\r\n';
    const bytes = Buffer.concat([Buffer.from(head), Buffer.from([0x89, 0x50, 0xff, 0x00, 0x80]), Buffer.from('\r\n--x--\r\n')]);
    const take = new TakeBuilder()
      .add(['POST', '/up', [['Content-Type', 'multipart/form-data; boundary=x']], bytes.toString('utf8')], [200, html, ''])
      .load();
    const [exchange] = take.exchanges;
    if (!exchange?.requestBody) throw new Error('there is a body');
    exchange.requestBody.mimeType = 'multipart/form-data';
    const [step] = requestSteps(scripted({ ...take, readBytes: () => bytes }));
    expect(step?.step.body).toMatchObject([
      { kind: 'text', text: head },
      { kind: 'file', start: head.length, end: head.length + 5 },
      { kind: 'text' },
    ]);
    expect(
      step &&
        sentNodes(step.step)
          .filter((node) => node.place.startsWith('part:'))
          .map((node) => [node.place, node.value]),
    ).toEqual([['part:token', 't-1']]);
  });
});
