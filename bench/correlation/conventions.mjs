// Published conventions of web frameworks and protocols as made-up flows. `tuned` were looked at while the algorithm was made,
// `heldOut` were written afterwards and nothing was changed for them.
import { createHash } from 'node:crypto';
import { form, xmlBody } from './visit.mjs';

const base64 = (text) => Buffer.from(text).toString('base64');
const typed = (v) => `${['Frozen cod', 'Blue mussels', 'Red plums', 'Sweet corn', 'Wild berries'][v.worker % 5]} lot ${v.worker + 3}`;

export const tuned = {
  /** Anti-forgery field that rotates on every page; the id of what was created in a redirect; a record version in the edit form. */
  'form token, id in redirect, version field'(v) {
    const [a, b, id] = [v.token(44), v.token(44), v.serial(40)];
    const title = typed(v);
    v.page(
      '/things/new',
      v.noise(
        `<form action="/things" method="post"><input type="hidden" name="authenticity_token" value="${a}"><input name="title"></form>`,
      ),
    );
    v.sends(a).post(
      '/things',
      { authenticity_token: a, title, commit: 'Save' },
      { status: 302, answer: '', set: [['Location', `http://127.0.0.1:9/things/${id}`]] },
    );
    v.sends(id).page(`/things/${id}`, v.noise(`<h1>${title}</h1><a href="/things/${id}/edit">Edit</a>`));
    v.sends(id).page(
      `/things/${id}/edit`,
      v.noise(
        `<form action="/things/${id}"><input type="hidden" name="authenticity_token" value="${b}"><input type="hidden" name="lock_version" value="0"><input name="title" value="${title}"></form>`,
      ),
    );
    v.sends(id, b, '0').post(
      `/things/${id}`,
      { _method: 'patch', authenticity_token: b, lock_version: '0', title: `${title} again` },
      { status: 302, answer: '', set: [['Location', `/things/${id}`]] },
    );
    v.sends(id).page(`/things/${id}`, v.noise(`<h1>${title} again</h1>`));
  },
  /** A token in a meta tag that a page script sends as a header; ids of records in JSON; a record picked from a list. */
  'meta token as header, JSON ids'(v) {
    const [t, id] = [v.token(40), v.serial(700)];
    const title = typed(v);
    const other = { id: Number(v.serial(300)), title: 'Old one' };
    const head = [['X-CSRF-TOKEN', t]];
    v.page('/app', v.noise(`<meta name="csrf-token" content="${t}">`));
    v.sends(t).send(
      'POST',
      '/api/claims',
      { title, kind: 'quality', pallets: 12 },
      { headers: head, answer: JSON.stringify({ data: { id: Number(id), title, state: 'open', links: { self: `/api/claims/${id}` } } }) },
    );
    v.ask('GET', '/api/claims?page=1&size=20', {
      type: 'json',
      answer: JSON.stringify({ total: 2, items: [other, { id: Number(id), title }] }),
    });
    v.sends(id).ask('GET', `/api/claims/${id}`, { type: 'json', answer: JSON.stringify({ id: Number(id), title, rev: 1 }) });
    v.sends(t, id, '1').send(
      'PUT',
      `/api/claims/${id}`,
      { id: Number(id), title, state: 'closed', rev: 1 },
      { headers: head, answer: JSON.stringify({ id: Number(id), rev: 2 }) },
    );
  },
  /** Page state of server-side page frameworks: long base64 fields that come back with each post. */
  'page state fields'(v) {
    const state = () => base64(v.token(600));
    const page = (s, e) =>
      v.noise(
        `<form id="f"><input type="hidden" name="__STATE" id="__STATE" value="${s}"><input type="hidden" name="__STATECHECK" value="${e}"><input type="hidden" name="__TARGET" value=""><input name="ctl00$main$name"></form>`,
      );
    const [s1, e1, s2, e2] = [state(), base64(v.token(60)), state(), base64(v.token(60))];
    v.page('/Default.aspx', page(s1, e1));
    v.sends(s1, e1).post(
      '/Default.aspx',
      { __STATE: s1, __STATECHECK: e1, __TARGET: 'ctl00$main$next', ctl00$main$name: typed(v) },
      { answer: page(s2, e2) },
    );
    v.sends(s2, e2).post(
      '/Default.aspx',
      { __STATE: s2, __STATECHECK: e2, __TARGET: 'ctl00$main$save', ctl00$main$name: typed(v) },
      { answer: v.noise('<p>Saved</p>') },
    );
  },
  /** Authorization code with PKCE (RFC 7636), then a bearer token that is refreshed (RFC 6749). */
  'authorization code with PKCE, bearer, refresh'(v) {
    const verifier = v.token(64);
    const challenge = createHash('sha256').update(verifier).digest('base64url');
    const [state, code, access, refresh, access2] = [v.token(22), v.hex(40), v.token(80), v.token(48), v.token(80)];
    const login = v.token(32);
    const id = v.serial(9000);
    v.makes(challenge, state).ask(
      'GET',
      `/authorize?response_type=code&client_id=growers&redirect_uri=${encodeURIComponent('http://127.0.0.1:9/back')}&scope=openid&state=${state}&code_challenge=${challenge}&code_challenge_method=S256`,
      { answer: v.noise(`<form><input type="hidden" name="login_ticket" value="${login}"></form>`) },
    );
    v.sends(login).post(
      '/authorize',
      { login_ticket: login, username: 'kim', password: 'tulip' },
      { status: 302, answer: '', set: [['Location', `http://127.0.0.1:9/back?code=${code}&state=${state}`]] },
    );
    v.sends(code).page(`/back?code=${code}&state=${state}`, v.noise('<div id="root"></div>'));
    v.sends(code)
      .makes(verifier)
      .post(
        '/token',
        { grant_type: 'authorization_code', client_id: 'growers', code, redirect_uri: 'http://127.0.0.1:9/back', code_verifier: verifier },
        { type: 'json', answer: JSON.stringify({ access_token: access, token_type: 'Bearer', expires_in: 60, refresh_token: refresh }) },
      );
    v.sends(access).send(
      'POST',
      '/api/growers',
      { name: typed(v) },
      { headers: [['Authorization', `Bearer ${access}`]], answer: JSON.stringify({ id, version: 'a1' }) },
    );
    v.sends(refresh).post(
      '/token',
      { grant_type: 'refresh_token', refresh_token: refresh, client_id: 'growers' },
      { type: 'json', answer: JSON.stringify({ access_token: access2, token_type: 'Bearer', expires_in: 60 }) },
    );
    v.sends(access2, id).ask('GET', `/api/growers/${id}`, {
      headers: [['Authorization', `Bearer ${access2}`]],
      type: 'json',
      answer: JSON.stringify({ id }),
    });
  },
  /** ETag and If-Match (RFC 9110, 13.1.1); the id in a Location only. */
  'ETag, id in Location only'(v) {
    const [id, e1, e2] = [v.guid(), v.hex(12), v.hex(12)];
    v.send('POST', '/records', { name: typed(v) }, { status: 201, answer: '', set: [['Location', `/records/${id}`]] });
    v.sends(id).ask('GET', `/records/${id}`, { type: 'json', answer: '{"name":"x"}', set: [['ETag', `"${e1}"`]] });
    v.sends(id, e1).send(
      'PUT',
      `/records/${id}`,
      { name: 'y' },
      { headers: [['If-Match', `"${e1}"`]], answer: '{}', set: [['ETag', `"${e2}"`]] },
    );
    v.sends(id, e2).ask('DELETE', `/records/${id}`, { headers: [['If-Match', `"${e2}"`]], status: 204, answer: '' });
  },
  /** Ids in field names, in conditions, in JSON inside a form field, in base64 inside a query. */
  'ids in names, conditions, nested and encoded'(v) {
    const [line, order, ref] = [v.serial(510), v.serial(80), v.hex(16)];
    v.page(
      '/cart',
      v.noise(
        `<form><table><tr id="row-${line}"><td>${typed(v)}</td><td><input name="qty[${line}]" value="1"></td></tr></table><div id="cart" data-order="${order}" data-ref="${ref}"></div></form>`,
      ),
    );
    v.sends(line, order).ask('POST', '/cart', {
      headers: form,
      body: `${encodeURIComponent(`qty[${line}]`)}=4&where=${encodeURIComponent(`order = ${order}`)}`,
      answer: v.noise('<p>Updated</p>'),
    });
    v.sends(ref, order).ask('POST', '/cart/check', {
      headers: form,
      body: `doc=${encodeURIComponent(JSON.stringify({ ref, order: Number(order), lines: [{ n: 1 }] }))}`,
      answer: v.noise('<p>ok</p>'),
    });
    v.sends(ref).ask('GET', `/cart/view?s=${encodeURIComponent(base64(JSON.stringify({ ref, page: 1 })))}`, {
      answer: v.noise('<p>view</p>'),
    });
  },
  /** Tokens in inline scripts with escaped signs, in a part of a cookie, in a cookie repeated as a header. */
  'tokens in scripts and cookies'(v) {
    const [t, part, twin] = [`${v.token(20)}/${v.token(10)}+${v.token(5)}=`, v.hex(20), v.token(30)];
    v.page('/start', v.noise(`<script>window.boot = {"user":{"id":7},"requestToken":"${t.replace(/\//g, '\\/')}"};</script>`), {
      set: [
        ['Set-Cookie', `visit=v1.${part}.77; Path=/`],
        ['Set-Cookie', `XSRF-TOKEN=${twin}; Path=/`],
      ],
    });
    v.sends(t, twin).send('POST', '/do', { token: t, action: 'open' }, { headers: [['X-XSRF-TOKEN', twin]], answer: '{"ok":true}' });
    v.sends(part).ask('GET', `/socket?visit=${part}&transport=polling`, { type: 'json', answer: '{"ok":true}' });
  },
  /** Cursors and addresses of the next page; clocks and cache busters that the client makes. */
  'cursors, clocks'(v) {
    const cursor = base64(`row:${v.serial(88_000)}`);
    v.makes(String(v.clock)).ask('GET', `/feed?limit=20&_=${v.clock}`, {
      type: 'json',
      answer: JSON.stringify({ items: [{ name: 'a' }, { name: 'b' }], next_cursor: cursor }),
    });
    v.sends(cursor).ask('GET', `/feed?limit=20&cursor=${encodeURIComponent(cursor)}`, {
      type: 'json',
      answer: JSON.stringify({ items: [], next_cursor: null }),
    });
    const guid = v.guid();
    v.makes(guid).send('POST', '/events', { kind: 'seen', key: guid }, { answer: '{}' });
  },
  /** Traps: what people type comes back, words and numbers stand everywhere, a choice from a list, constants with telling names. */
  traps(v) {
    const term = typed(v);
    v.page(
      '/search',
      v.noise(
        '<form><select name="bay"><option value="11">North</option><option value="12">South</option></select><input type="hidden" name="locale" value="en-GB"><input type="hidden" name="site_key" value="public-key-0042"></form>',
      ),
    );
    v.ask('GET', `/search?q=${encodeURIComponent(term)}&page=1&size=20`, {
      answer: v.noise(`<p>No result for ${term}</p><input name="q" value="${term}">`),
    });
    v.post(
      '/search/save',
      { q: term, bay: v.worker % 2 ? '11' : '12', locale: 'en-GB', site_key: 'public-key-0042', year: '2026', page: '1' },
      { answer: v.noise('<p>Saved</p>') },
    );
  },
};

export const heldOut = {
  /** A SAML response that the browser posts (SAML 2.0 bindings, 3.5): base64 of XML, with the state beside it. */
  'SAML post'(v) {
    const [relay, session] = [v.token(30), v.hex(32)];
    const response = base64(`<samlp:Response ID="_${v.hex(32)}"><Assertion>${v.token(400)}</Assertion></samlp:Response>`);
    v.page(
      '/idp/login',
      v.noise(
        `<form action="/acs" method="post"><input type="hidden" name="SAMLResponse" value="${response}"/><input type="hidden" name="RelayState" value="${relay}"/></form>`,
      ),
    );
    v.sends(response, relay).post(
      '/acs',
      { SAMLResponse: response, RelayState: relay },
      { answer: v.noise(`<script>var s='${session}';</script>`) },
    );
    v.sends(session).page(`/home?session=${session}`, v.noise('<p>Hello</p>'));
  },
  /** Queries to one address, with ids in variables and global ids in base64. */
  'one address for all queries'(v) {
    const [claim, node] = [v.serial(5100), ''];
    const global = base64(`Claim:${claim}`);
    const q = (operationName, variables, answer) =>
      v.send(
        'POST',
        '/graphql',
        { operationName, query: `mutation ${operationName} { x }`, variables },
        { answer: JSON.stringify(answer) },
      );
    q('Claims', { first: 20 }, { data: { claims: { nodes: [{ id: base64('Claim:12'), title: 'Old' }] } } });
    q('CreateClaim', { input: { title: typed(v) } }, { data: { createClaim: { claim: { id: global, title: typed(v) } } } });
    v.sends(global);
    q('CloseClaim', { id: global }, { data: { closeClaim: { claim: { id: global, state: 'CLOSED' } } } });
    void node;
  },
  /** XML messages with a conversation id and a security token. */
  'XML messages'(v) {
    const [conversation, token, number] = [v.guid(), v.token(64), v.serial(7300)];
    const envelope = (body, header = '') =>
      `<?xml version="1.0"?><e:Envelope xmlns:e="urn:e"><e:Header>${header}</e:Header><e:Body>${body}</e:Body></e:Envelope>`;
    const ask = (body, header, answer) =>
      v.ask('POST', '/service', { headers: xmlBody, body: envelope(body, header), type: 'text/xml', answer: envelope(answer) });
    ask(
      '<Open><user>kim</user></Open>',
      '',
      `<OpenResult><Conversation>${conversation}</Conversation><Token>${token}</Token></OpenResult>`,
    );
    v.sends(conversation, token);
    ask(
      `<Create><name>${typed(v)}</name></Create>`,
      `<Conversation>${conversation}</Conversation><Token>${token}</Token>`,
      `<CreateResult><OrderNumber>${number}</OrderNumber></CreateResult>`,
    );
    v.sends(conversation, token, number);
    ask(
      `<Release number="${number}"/>`,
      `<Conversation>${conversation}</Conversation><Token>${token}</Token>`,
      '<ReleaseResult>OK</ReleaseResult>',
    );
  },
  /** A session id as a path parameter, and a flow key in the query. */
  'path parameter, flow key'(v) {
    const [sid, flow] = [v.hex(32).toUpperCase(), `e${v.worker + 1}`];
    v.page('/shop', v.noise(`<a href="/shop/start;jsessionid=${sid}">Start</a>`));
    v.sends(sid).ask('GET', `/shop/start;jsessionid=${sid}`, {
      status: 302,
      answer: '',
      set: [['Location', `/shop/start;jsessionid=${sid}?execution=${flow}s1`]],
    });
    v.sends(sid, `${flow}s1`).ask('GET', `/shop/start;jsessionid=${sid}?execution=${flow}s1`, {
      answer: v.noise(`<form action="/shop/start;jsessionid=${sid}?execution=${flow}s1"></form>`),
    });
    v.sends(sid, `${flow}s1`).ask('POST', `/shop/start;jsessionid=${sid}?execution=${flow}s1`, {
      headers: form,
      body: `name=${encodeURIComponent(typed(v))}&_eventId=next`,
      status: 302,
      answer: '',
      set: [['Location', `/shop/start;jsessionid=${sid}?execution=${flow}s2`]],
    });
    v.sends(sid, `${flow}s2`).ask('GET', `/shop/start;jsessionid=${sid}?execution=${flow}s2`, { answer: v.noise('<p>Done</p>') });
  },
  /** State in JSON islands and data attributes; an id whose case the client changes. */
  'islands, attributes, other spelling'(v) {
    const [guid, ticket, row] = [v.guid(), v.token(28), v.serial(260)];
    v.page(
      '/board',
      v.noise(
        `<script type="application/json" id="state">{"tenant":{"key":"${ticket}"},"flags":{"a":true}}</script><div data-record='{"uid":"${guid.toUpperCase()}","row":${row}}'></div><!-- build 77 -->`,
      ),
    );
    v.sends(ticket, guid).send('POST', '/board/open', { key: ticket, record: guid }, { answer: '{"ok":true}' });
    v.sends(row).ask('GET', `/board/rows/${row}`, { type: 'json', answer: '{"ok":true}' });
  },
  /** Partial page updates: a delimited text that carries new state for hidden fields. */
  'partial updates'(v) {
    const [s1, s2] = [base64(v.token(300)), base64(v.token(300))];
    v.page('/panel', v.noise(`<form><input type="hidden" name="javax.state" value="${s1}"></form>`));
    v.sends(s1).post(
      '/panel',
      { 'javax.state': s1, source: 'tab:2' },
      { type: 'text/plain', answer: `12|updatePanel|main|<b>Tab 2</b>|${s2.length}|hiddenField|javax.state|${s2}|0|end|` },
    );
    v.sends(s2).post('/panel', { 'javax.state': s2, source: 'save' }, { type: 'text/plain', answer: '4|done|' });
  },
  /** Signed addresses, a token in a comment, a nonce in a script address. */
  'signed addresses, comments'(v) {
    const [sig, exp, build, key] = [
      v.hex(64),
      String(1_800_000_000 + v.worker * 1000 + Math.floor(v.random() * 900)),
      v.token(20),
      v.token(26),
    ];
    v.page(
      '/files',
      v.noise(
        `<!-- page-token: ${build} --><a id="get" href="/download/report.csv?expires=${exp}&signature=${sig}">Report</a><img src="/pixel/${key}.gif">`,
      ),
    );
    v.sends(exp, sig).ask('GET', `/download/report.csv?expires=${exp}&signature=${sig}`, { type: 'text/csv', answer: 'a,b\n1,2\n' });
    v.sends(build, key).send('POST', '/files/seen', { pageToken: build, pixel: key }, { answer: '{}' });
  },
  /** A basket whose lines carry ids; two records are made and then used in turn; a digest of a token. */
  'two records, digest of a token'(v) {
    const [a, b, salt] = [v.serial(3000), v.serial(3100), v.token(24)];
    v.page('/two', v.noise(`<script>var salt = "${salt}";</script>`));
    v.sends().send('POST', '/api/orders', { name: typed(v) }, { answer: JSON.stringify({ orderId: Number(a) }) });
    v.send('POST', '/api/orders', { name: `${typed(v)} second` }, { answer: JSON.stringify({ orderId: Number(b) }) });
    const digest = createHash('sha256').update(salt).digest('hex');
    v.sends(a, b).send('POST', '/api/merge', { from: Number(a), into: Number(b) }, { answer: '{"ok":true}' });
    v.makes(digest).send('POST', '/api/seal', { salt: 'x', digest }, { answer: '{"ok":true}' });
    v.sends(a).ask('GET', `/api/orders/${a}`, { type: 'json', answer: '{"state":"merged"}' });
  },
};
