// What went wrong in applications that nobody had prepared the product for, as made-up flows with their truth: one or two for each class. A class
// is what stands before the colon. Some flows send nothing that a server made: there every handoff is a wrong one.
import { form, jsonBody } from './visit.mjs';

const base64 = (text) => Buffer.from(text).toString('base64');
/** An unseen take is played with the words and the choices of the first one, as a script sends them. */
const isSecond = (v) => v.worker === 1;
const named = (v) => (isSecond(v) ? 'Dry dock' : 'Cold store');
const call = (v, target, value, answer, more = {}) =>
  v.ask('POST', target, {
    type: 'json',
    ...more,
    headers: [...jsonBody, ...(more.headers ?? [])],
    body: JSON.stringify(value),
    answer: JSON.stringify(answer),
  });
const select = (name, options) =>
  `<select name="${name}">${options.map(([value, label]) => `<option value="${value}">${label}</option>`).join('')}</select>`;
const numbers = (count) => Array.from({ length: count }, (_, at) => [String(at + 1), `Kind ${'ABCDE'[at]}`]);

export const classes = {
  'coincidence: a count on the page is the choice of both takes'(v) {
    const open = [2, 3, 7, 9][v.worker];
    v.page(
      '/loads/new',
      v.noise(`<p>Open loads: <b>${open}</b></p><form action="/loads" method="post">${select('kind', numbers(5))}</form>`),
    );
    v.post('/loads', { kind: isSecond(v) ? '3' : '2' }, { answer: v.noise('<p>Saved</p>') });
  },
  'coincidence: five choices of a form, five strangers'(v) {
    const other = isSecond(v);
    const strangers = [
      [1, 2, 3, 4, 5],
      [2, 3, 4, 5, 1],
      [8, 6, 9, 7, 6],
      [6, 9, 7, 8, 8],
    ][v.worker];
    const fields = ['kind', 'priority', 'tracker', 'state', 'group'];
    v.page(
      '/tasks/new',
      v.noise(
        `<dl>${strangers.map((one, at) => `<dt>${'Late,Today,Open,Mine,Done'.split(',')[at]}</dt><dd>${one}</dd>`).join('')}</dl><form action="/tasks" method="post">${fields.map((one) => select(one, numbers(5))).join('')}</form>`,
      ),
    );
    v.post('/tasks', Object.fromEntries(fields.map((one, at) => [one, String(other ? ((at + 1) % 5) + 1 : at + 1)])), {
      answer: v.noise('<p>Saved</p>'),
    });
  },
  'flag: a 1 that the answer to a change holds too'(v) {
    const id = v.serial(310);
    v.send('POST', '/api/loads', { name: named(v), draft: 1 }, { answer: JSON.stringify({ id: Number(id), locked: 1, version: 1 }) });
    v.sends(id).post(`/loads/${id}/note`, { text: 'hello', notify: '1', html: '1' }, { answer: v.noise('<p>Noted</p>') });
  },
  'flag: an id was sent under the name before'(v) {
    const id = v.serial(310);
    v.post('/find', { depot: '14' }, { answer: v.noise('<p>Found</p>') });
    v.send('POST', '/api/loads', { name: named(v), depot: 14 }, { answer: JSON.stringify({ load: Number(id), depot: 14 }) });
    v.sends(id).post(`/loads/${id}/move`, { depot: '14' }, { answer: v.noise('<p>Moved</p>') });
  },
  'setting: a default of the form, and a number that moved'(v) {
    v.page(
      '/settings',
      v.noise(
        `<p>Records so far: <b>${25_125 + 311 * v.worker}</b></p><form action="/settings" method="post"><input name="port" type="text" value="25125"><input name="title" type="text" value=""></form>`,
      ),
    );
    v.post('/settings', { port: '25125', title: named(v) }, { answer: v.noise('<p>Saved</p>') });
  },
  'position: sign-in answers with an array, a header joins name, id and key'(v) {
    const [id, key] = [v.serial(41), v.hex(32)];
    call(v, '/rpc', { method: 'signIn', params: ['kim', 'secret'], id: 1 }, { result: [Number(id), key], id: 1 });
    const headers = [['Authorization', `Basic ${base64(`kim:${id}:${key}`)}`]];
    ['listLoads', 'listDepots', 'readUser', 'listNews'].forEach((method, at) => {
      v.sends(id, key);
      call(v, '/rpc', { method, params: [], id: at + 2 }, { result: [{ name: 'North' }], id: at + 2 }, { headers });
    });
    const load = v.serial(9100);
    v.sends(id, key);
    call(v, '/rpc', { method: 'newLoad', params: [named(v)], id: 6 }, { result: Number(load), id: 6 }, { headers });
    v.sends(id, key, load);
    call(v, '/rpc', { method: 'changeLoad', params: [Number(load), 'sealed'], id: 7 }, { result: true, id: 7 }, { headers });
  },
  'same text: a condition sent under two names'(v) {
    const id = String(3 + 2 * v.worker);
    v.post('/farms', { name: named(v) }, { status: 302, answer: '', set: [['Location', '/farms']] });
    v.page('/farms', v.noise(`<table><tr><td>${named(v)}</td><td><a href="/row?where=farm.id+%3D+${id}">Edit</a></td></tr></table>`));
    v.sends(id).page(`/row?where=farm.id+%3D+${id}`, v.noise(`<form><input type="hidden" name="where" value="farm.id = ${id}"></form>`));
    v.sends(id).post('/save', { 'clause[0]': `farm.id = ${id}`, name: `${named(v)} new` }, { answer: v.noise('<p>Saved</p>') });
  },
  'one address: acts told apart by a field'(v) {
    const [flow, load] = [v.token(20), v.serial(5200)];
    const act = (fields, inner) => v.post('/desk', { flow, ...fields }, { answer: v.noise(inner) });
    v.page('/desk', v.noise(`<form method="post"><input type="hidden" name="flow" value="${flow}"></form>`));
    v.sends(flow);
    act({ act: 'reserve', name: named(v) }, `<input type="hidden" name="load" value="${load}">`);
    v.sends(flow, load);
    act({ act: 'add', load, pallets: '4' }, `<p>Added</p>`);
    v.sends(flow, load);
    act({ act: 'add', load, pallets: '6' }, `<p>Added</p>`);
    v.sends(flow, load);
    act({ act: 'save', load }, `<p>Saved</p>`);
  },
  'typed: words, a code and hyphens'(v) {
    v.page(
      '/loads/new',
      v.noise('<form action="/loads" method="post"><input name="name" type="text"><input name="ref" type="text"></form>'),
    );
    v.post(
      '/loads',
      { name: isSecond(v) ? 'Dry dock K7-4402-b' : 'Cold store Q3-1187-a', ref: isSecond(v) ? 'KX-44-01' : 'QN-81-07' },
      {
        answer: v.noise('<p>Saved</p>'),
      },
    );
  },
  'typed: a page shows it, a later step sends it again'(v) {
    const id = v.serial(700);
    v.post('/loads', { name: named(v) }, { status: 302, answer: '', set: [['Location', `/loads/${id}`]] });
    v.sends(id).page(
      `/loads/${id}`,
      v.noise(`<h1>${named(v)}</h1><form action="/loads/${id}" method="post"><input name="name" type="text" value="${named(v)}"></form>`),
    );
    v.sends(id).post(`/loads/${id}`, { name: `${named(v)} two` }, { answer: v.noise(`<h1>${named(v)} two</h1>`) });
  },
  'choice: its options have new ids, the label stays'(v) {
    const ids = [0, 1, 2].map((at) => v.serial(8000 + 40 * at));
    v.page(
      '/loads/new',
      v.noise(
        `<form action="/loads" method="post"><input name="name" type="text">${select(
          'depot',
          ids.map((id, at) => [id, ['North', 'South', 'West'][at]]),
        )}</form>`,
      ),
    );
    v.sends(ids[1]).post('/loads', { name: named(v), depot: ids[1] }, { answer: v.noise('<p>Saved</p>') });
  },
  'choice: from a list of objects, by what it is called'(v) {
    const ids = [0, 1, 2].map(() => v.guid());
    const order = v.worker === 1 ? [2, 0, 1] : [0, 1, 2];
    v.ask('GET', '/api/depots', {
      type: 'json',
      answer: JSON.stringify(order.map((at) => ({ id: ids[at], name: ['North', 'South', 'West'][at] }))),
    });
    v.sends(ids[1]).send('POST', '/api/loads', { depot: ids[1], depotName: 'South' }, { answer: '{"ok":true}' });
  },
  'verdict: interface texts speak of missing rights'(v) {
    const id = v.serial(90);
    v.ask('GET', '/texts.json', {
      type: 'json',
      answer: JSON.stringify({ denied: 'You are not authorized to see this.', failed: 'Error' }),
    });
    v.send('POST', '/api/loads', { name: named(v) }, { answer: JSON.stringify({ id: Number(id) }) });
    v.sends(id);
    v.ask('GET', `/api/loads/${id}`, { type: 'json', answer: JSON.stringify({ id: Number(id), name: named(v) }) });
  },
  'verdict: lists are longer, shorter, empty'(v) {
    const rows = [3, 40, 160, 1][v.worker];
    const list = Array.from({ length: rows }, (_, at) => ({ number: at, name: `Grower ${at}`, ...(at % 3 === 0 ? { note: null } : {}) }));
    v.ask('GET', '/api/growers', { type: 'json', answer: JSON.stringify({ data: list, total: rows }) });
    v.ask('GET', '/api/news', { type: 'json', answer: JSON.stringify({ data: [] }) });
    v.page('/growers', v.noise(`<ul>${list.map((one) => `<li>${one.name}</li>`).join('')}</ul>`));
    v.post('/growers', { name: named(v) }, { answer: v.noise('<p>Saved</p>') });
  },
  'redirect: relative to the page'(v) {
    const id = v.serial(640);
    v.post('/loads/new', { name: named(v) }, { status: 302, answer: '', set: [['Location', `edit?load=${id}`]] });
    v.sends(id).page(`/loads/edit?load=${id}`, v.noise(`<p>${named(v)}</p>`));
    v.sends(id).post(`/loads/edit?load=${id}`, { name: `${named(v)} two` }, { answer: v.noise('<p>Saved</p>') });
  },
  'row: two rows hold the same words, the new one stands last'(v) {
    const id = String(14 + 3 * v.worker);
    const row = (n) => `<tr><td>${named(v)}</td><td><a href="/farm?id=${n}">Open</a></td></tr>`;
    v.post('/farms', { name: named(v) }, { status: 302, answer: '', set: [['Location', '/farms']] });
    v.page('/farms', v.noise(`<table id="farms">${row(6)}<tr><td>Other</td><td><a href="/farm?id=7">Open</a></td></tr>${row(id)}</table>`));
    v.sends(id).page(`/farm?id=${id}`, v.noise('<p>Farm</p>'));
  },
  'row: one short id in the address and in the body'(v) {
    const id = String(21 + 2 * v.worker);
    v.send('POST', '/api/farms', { name: named(v) }, { answer: JSON.stringify({ id: Number(id), name: named(v) }) });
    v.sends(id, id).send('PUT', `/api/farms/${id}`, { id: Number(id), name: `${named(v)} new` }, { answer: '{"ok":true}' });
  },
  'batch: calls in one array'(v) {
    const [desk, load] = [v.guid(), v.serial(4400)];
    call(
      v,
      '/batch',
      [
        { id: 1, method: 'openDesk', params: {} },
        { id: 2, method: 'newLoad', params: { name: named(v) } },
      ],
      [
        { id: 1, result: { desk } },
        { id: 2, result: { load: Number(load) } },
      ],
    );
    v.sends(desk, load);
    call(
      v,
      '/batch',
      [
        { id: 3, method: 'sealLoad', params: { load: Number(load) } },
        { id: 4, method: 'closeDesk', params: { desk } },
      ],
      [
        { id: 3, result: true },
        { id: 4, result: true },
      ],
    );
  },
  'batch: the second take batches the calls otherwise'(v) {
    const [desk, load] = [v.guid(), v.serial(4400)];
    const open = { id: 1, method: 'openDesk', params: {} };
    const make = { id: 2, method: 'newLoad', params: { name: named(v) } };
    const [opened, made] = [
      { id: 1, result: { desk } },
      { id: 2, result: { load: Number(load) } },
    ];
    if (isSecond(v)) {
      call(v, '/batch', [open], [opened]);
      call(v, '/batch', [make], [made]);
    } else call(v, '/batch', [open, make], [opened, made]);
    v.sends(load, desk);
    call(v, '/batch', [{ id: 3, method: 'sealLoad', params: { load: Number(load), desk } }], [{ id: 3, result: true }]);
  },
  'batch: requests in multipart/mixed'(v) {
    const [load, mark] = [v.serial(2200), v.hex(12)];
    v.send('POST', '/data/Loads', { Name: named(v) }, { status: 201, answer: JSON.stringify({ LoadID: Number(load), Name: named(v) }) });
    const part = (line, body = '') =>
      `--batch_${mark}\r\nContent-Type: application/http\r\nContent-Transfer-Encoding: binary\r\n\r\n${line} HTTP/1.1\r\nAccept: application/json\r\n\r\n${body}\r\n`;
    v.sends(load, load).ask('POST', '/data/$batch', {
      headers: [['Content-Type', `multipart/mixed; boundary=batch_${mark}`]],
      body: `${part(`GET Loads(${load})`)}${part(`PATCH Loads(${load})`, JSON.stringify({ Name: `${named(v)} new` }))}--batch_${mark}--\r\n`,
      type: 'multipart/mixed; boundary=answer',
      answer: `--answer\r\nContent-Type: application/http\r\n\r\nHTTP/1.1 200 OK\r\n\r\n{"Name":"${named(v)}"}\r\n--answer--\r\n`,
    });
  },
  'name: what is made is called by what was typed'(v) {
    v.post('/boxes', { user: named(v).toLowerCase().replace(' ', '.') }, { status: 302, answer: '', set: [['Location', '/boxes']] });
    v.page('/boxes', v.noise(`<title>Boxes</title><p>${named(v).toLowerCase().replace(' ', '.')}</p>`));
    v.ask('POST', `/boxes/${named(v).toLowerCase().replace(' ', '.')}`, {
      headers: form,
      body: 'quota=5',
      answer: v.noise('<p>Saved</p>'),
    });
  },
};
