// Values that are easily missed because nothing fails when they are sent as recorded, each in several made-up conventions. Written
// after the algorithm; what it misses here is told in docs/correlation.md.
import { createHash } from 'node:crypto';
import { form } from './visit.mjs';

const base64 = (text) => Buffer.from(text).toString('base64');
/** An unseen take is played with the words of the first one, as a script sends them. */
const named = (v) => (v.worker === 1 ? `Dry dock` : `Cold store`);
/** A small id that the server counts: two visits never have the same. */
const small = (v, from = 3) => String(from + v.worker * 2);
const jsonOf = (v, target, value) => v.ask('GET', target, { type: 'json', answer: JSON.stringify(value) });

/** A page with a form for one thing, and its rows: each row leads to a thing by its id. */
const rows = (v, id, link) =>
  v.noise(`<table id="things"><tr><td>Old farm</td><td>${link('1')}</td></tr><tr><td>${named(v)}</td><td>${link(id)}</td></tr></table>`);

export const silent = {
  'small id: in the query, from a row'(v) {
    const id = small(v);
    v.post('/farms', { name: named(v) }, { status: 302, answer: '', set: [['Location', '/farms']] });
    v.page(
      '/farms',
      rows(v, id, (one) => `<a href="/farm?id=${one}">Open</a>`),
    );
    v.sends(id).page(`/farm?id=${id}`, v.noise('<p>Farm</p>'));
  },
  'small id: in a path, from a row'(v) {
    const id = small(v);
    v.post('/farms', { name: named(v) }, { status: 302, answer: '', set: [['Location', '/farms']] });
    v.page(
      '/farms',
      rows(v, id, (one) => `<a href="/farms/${one}/edit">Edit</a>`),
    );
    v.sends(id).page(`/farms/${id}/edit`, v.noise(`<form action="/farms/${id}"><input name="name" value="${named(v)}"></form>`));
    v.sends(id).post(`/farms/${id}`, { name: `${named(v)} new` }, { answer: v.noise('<p>Saved</p>') });
  },
  'small id: in JSON, from JSON'(v) {
    const id = small(v);
    v.send('POST', '/api/farms', { name: named(v) }, { answer: JSON.stringify({ farm: { id: Number(id), name: named(v) } }) });
    v.sends(id).send('POST', '/api/visits', { farmId: Number(id), day: 'Monday' }, { answer: '{"ok":true}' });
  },
  'id in a path: with an ending'(v) {
    const id = v.serial(410);
    v.send('POST', '/farms.json', { name: named(v) }, { answer: JSON.stringify({ id: Number(id), name: named(v) }) });
    v.sends(id);
    jsonOf(v, `/farms/${id}.json`, { id: Number(id), state: 'open' });
  },
  'id in a path: in brackets'(v) {
    const id = v.serial(2200);
    v.send('POST', '/data/Farms', { Name: named(v) }, { status: 201, answer: JSON.stringify({ FarmID: Number(id), Name: named(v) }) });
    v.sends(id).send('PATCH', `/data/Farms(${id})`, { Name: `${named(v)} new` }, { status: 204, answer: '' });
  },
  'id in a path: behind words'(v) {
    const id = v.serial(880);
    v.post('/farms', { name: named(v) }, { status: 302, answer: '', set: [['Location', `/farm/hill-farm-${id}`]] });
    v.sends(id).page(`/farm/hill-farm-${id}`, v.noise(`<p>Farm ${named(v)}</p>`));
  },
  'field name: in brackets'(v) {
    const id = v.serial(61);
    v.page('/cart', v.noise(`<form><input name="amount[${id}]" value="1"><input name="note"></form>`));
    v.sends(id).post('/cart', { [`amount[${id}]`]: '4', note: 'n' }, { answer: v.noise('<p>ok</p>') });
  },
  'field name: between underlines'(v) {
    const id = v.serial(730);
    v.page('/count', v.noise(`<form><input name="line_${id}_amount" value="1"><input name="line_${id}_unit" value="kg"></form>`));
    v.sends(id).post('/count', { [`line_${id}_amount`]: '4', [`line_${id}_unit`]: 'kg' }, { answer: v.noise('<p>ok</p>') });
  },
  'field name: the whole name is an id'(v) {
    const id = v.hex(12);
    v.page('/poll', v.noise(`<form><input type="checkbox" name="x${id}"></form>`));
    v.sends(id).post('/poll', { [`x${id}`]: 'on' }, { answer: v.noise('<p>ok</p>') });
  },
  'object key: an id'(v) {
    const id = v.serial(5400);
    jsonOf(v, '/api/lines', { lines: [{ id: Number(id), goods: 'Peas' }] });
    v.sends(id).send('PUT', '/api/lines', { lines: { [id]: { amount: 4 } } }, { answer: '{"ok":true}' });
  },
  'object key: with a word before it'(v) {
    const id = v.serial(350);
    jsonOf(v, '/api/tasks', { tasks: { [`task-${id}`]: { state: 'open' } } });
    v.sends(id).send('POST', '/api/tasks', { changed: { [`task-${id}`]: { state: 'done' } } }, { answer: '{"ok":true}' });
  },
  'condition: equals, with blanks'(v) {
    const id = small(v, 7);
    v.send('POST', '/api/farms', { name: named(v) }, { answer: JSON.stringify({ id: Number(id), name: named(v) }) });
    v.sends(id);
    jsonOf(v, `/api/visits?where=${encodeURIComponent(`farm_id = ${id}`)}`, { items: [] });
  },
  'condition: in words'(v) {
    const id = v.guid();
    v.send('POST', '/data/Visits', { Farm: named(v) }, { answer: JSON.stringify({ Key: id }) });
    v.sends(id);
    jsonOf(v, `/data/Notes?$filter=${encodeURIComponent(`VisitKey eq guid'${id}' and State eq 'open'`)}`, { value: [] });
  },
  'condition: name, colon, value'(v) {
    const id = v.serial(930);
    v.send('POST', '/api/farms', { name: named(v) }, { answer: JSON.stringify({ id: Number(id), name: named(v) }) });
    v.sends(id);
    jsonOf(v, `/api/search?q=${encodeURIComponent(`farm:${id} state:open`)}`, { hits: [] });
  },
  'base64 credential: key and secret of an answer'(v) {
    const [key, secret] = [v.hex(16), v.token(32)];
    v.send('POST', '/api/keys', { for: named(v) }, { answer: JSON.stringify({ key, secret }) });
    v.sends(key, secret);
    v.ask('GET', '/api/stock', { headers: [['Authorization', `Basic ${base64(`${key}:${secret}`)}`]], type: 'json', answer: '{"ok":1}' });
  },
  'base64 credential: a token behind a fixed name'(v) {
    const token = v.token(40);
    v.page('/start', v.noise(`<script>start({"token":"${token}","name":"x"})</script>`));
    v.sends(token);
    v.ask('GET', '/api/stock', { headers: [['Authorization', `Basic ${base64(`x:${token}`)}`]], type: 'json', answer: '{"ok":1}' });
  },
  'nested JSON: in a text of JSON'(v) {
    const [ref, id] = [v.hex(20), v.serial(640)];
    jsonOf(v, '/api/session', { ref, open: [{ docId: Number(id) }] });
    v.sends(ref, id).send(
      'POST',
      '/api/batch',
      { calls: [{ method: 'save', args: JSON.stringify({ ref, docId: Number(id), text: 'x' }) }] },
      { answer: '{"ok":true}' },
    );
  },
  'nested JSON: percent-encoded twice in a query'(v) {
    const ref = v.hex(20);
    jsonOf(v, '/api/session', { ref });
    v.sends(ref);
    jsonOf(v, `/api/open?state=${encodeURIComponent(encodeURIComponent(JSON.stringify({ ref, at: 'top' })))}`, { ok: true });
  },
  'token of a meta tag over a hidden field: the field is empty'(v) {
    const token = v.token(40);
    v.page(
      '/new',
      v.noise(`<meta name="form-key" content="${token}"><form><input type="hidden" name="key" value=""><input name="a"></form>`),
    );
    v.sends(token).post('/new', { key: token, a: 'b' }, { answer: v.noise('<p>ok</p>') });
  },
  'token of a meta tag over a hidden field: the field has another'(v) {
    const [token, stale] = [v.token(40), v.token(40)];
    v.page(
      '/new',
      v.noise(`<meta name="form-key" content="${token}"><form><input type="hidden" name="key" value="${stale}"><input name="a"></form>`),
    );
    v.sends(token).post('/new', { key: token, a: 'b' }, { answer: v.noise('<p>ok</p>') });
  },
  'part of a cookie: between dots'(v) {
    const part = v.hex(24);
    v.page('/start', v.noise(), { set: [['Set-Cookie', `desk=a.${part}.9; Path=/`]] });
    v.sends(part).page(`/live?desk=${part}`, v.noise());
  },
  'part of a cookie: JSON, percent-encoded'(v) {
    const part = v.hex(24);
    v.page('/start', v.noise(), { set: [['Set-Cookie', `desk=${encodeURIComponent(JSON.stringify({ key: part, lang: 'en' }))}; Path=/`]] });
    v.sends(part).send('POST', '/live', { key: part }, { answer: '{"ok":true}' });
  },
  'id in Location only: in its query'(v) {
    const id = v.serial(3300);
    v.post('/farms', { name: named(v) }, { status: 303, answer: '', set: [['Location', `/farm?show=all&no=${id}`]] });
    v.sends(id).page(`/farm?show=all&no=${id}`, v.noise('<p>Farm</p>'));
    v.sends(id).post('/farm/close', { no: id }, { answer: v.noise('<p>Closed</p>') });
  },
  'id in Location only: the first part of the path'(v) {
    const id = v.token(10, 'abcdefghjkmnpqrstuvwxyz23456789');
    v.post('/rooms', { name: named(v) }, { status: 302, answer: '', set: [['Location', `http://127.0.0.1:9/${id}/lobby`]] });
    v.sends(id).page(`/${id}/lobby`, v.noise('<p>Room</p>'));
    v.sends(id).post(`/${id}/say`, { text: 'hello' }, { answer: v.noise('<p>ok</p>') });
  },
  'id in another header only'(v) {
    const id = v.guid();
    v.send('POST', '/uploads', { name: named(v) }, { status: 201, answer: '', set: [['X-Upload-Key', id]] });
    v.sends(id).ask('PUT', `/uploads/${id}/1`, { headers: form, body: 'part=1', status: 204, answer: '' });
  },
  'picked row of a list: HTML'(v) {
    const free = [0, 1, 2].map((at) => v.serial(7000 + 50 * at));
    const chosen = free[v.worker % 3];
    v.page(
      '/free',
      v.noise(
        `<table id="free">${free.map((one) => `<tr><td>${one}</td><td><a href="/free/${one}/take">Take</a></td></tr>`).join('')}</table>`,
      ),
    );
    v.sends(chosen).page(`/free/${chosen}/take`, v.noise('<p>Taken</p>'));
  },
  'picked row of a list: JSON'(v) {
    const free = [0, 1, 2].map(() => v.guid());
    const chosen = free[v.worker % 3];
    jsonOf(v, '/api/free', { free: free.map((uid, at) => ({ uid, size: at + 2 })) });
    v.sends(chosen).send('POST', '/api/taken', { uid: chosen }, { answer: '{"ok":true}' });
  },
  'revision equal in both takes: JSON'(v) {
    const id = v.serial(150);
    v.send('POST', '/api/farms', { name: named(v) }, { answer: JSON.stringify({ id: Number(id), name: named(v), revision: 1 }) });
    v.sends(id, '1').send('PUT', `/api/farms/${id}`, { name: 'new', revision: 1 }, { answer: JSON.stringify({ revision: 2 }) });
  },
  'revision equal in both takes: hidden field'(v) {
    const id = v.serial(150);
    v.post('/farms', { name: named(v) }, { status: 302, answer: '', set: [['Location', `/farms/${id}/edit`]] });
    v.sends(id).page(
      `/farms/${id}/edit`,
      v.noise(`<form><input type="hidden" name="row_version" value="0"><input name="name" value="${named(v)}"></form>`),
    );
    v.sends(id, '0').post(`/farms/${id}`, { row_version: '0', name: 'new' }, { answer: v.noise('<p>ok</p>') });
  },
  'revision equal in both takes: entity tag'(v) {
    const id = v.guid();
    v.send('POST', '/records', { name: named(v) }, { status: 201, answer: '{}', set: [['Location', `/records/${id}`]] });
    v.sends(id).ask('GET', `/records/${id}`, { type: 'json', answer: '{"a":1}', set: [['ETag', '"1"']] });
    v.sends(id, '1').send('PUT', `/records/${id}`, { a: 2 }, { headers: [['If-Match', '"1"']], answer: '{}' });
  },
  'digest: of two values joined'(v) {
    const nonce = v.token(24);
    v.page('/sign-in', v.noise(`<form><input type="hidden" name="challenge" value="${nonce}"><input name="user"></form>`));
    const proof = createHash('sha256').update(`kim:${nonce}`).digest('hex');
    v.sends(nonce)
      .makes(proof)
      .post('/sign-in', { user: 'kim', challenge: nonce, proof }, { answer: v.noise('<p>ok</p>') });
  },
};
