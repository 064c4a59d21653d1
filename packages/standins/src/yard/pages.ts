import type { Intake } from './records.js';
import { growers } from './records.js';

/** Escapes text for HTML content and double-quoted attributes. */
export const escapeHtml = (text: string): string => text.replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`);

function page(title: string, body: string, head = ''): string {
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(title)}</title>
<link rel="icon" href="data:,"><link rel="stylesheet" href="/assets/yard.css">${head}</head>
<body><header><b>Tidewell Yard</b></header><main>${body}</main></body></html>`;
}

export const welcomePage = (): string =>
  page('Tidewell Yard', '<h1>Tidewell Cold Store</h1><p>Intakes, bays and releases.</p><a id="to-sign-in" href="/sign-in">Sign in</a>');

export const signInPage = (formKey: string, notice = ''): string =>
  page(
    'Sign in - Tidewell Yard',
    `<h1>Sign in</h1>${notice ? `<p class="notice" role="alert">${escapeHtml(notice)}</p>` : ''}
<form id="sign-in" method="post" action="/sign-in"><input type="hidden" name="formKey" value="${formKey}">
<label>User <input name="user" autocomplete="off"></label><label>Password <input type="password" name="password"></label>
<button>Sign in</button></form>`,
  );

/** What a missing or stale session gets, with status 200, as many such systems answer. */
export const visitEndedPage = (): string =>
  page(
    'Your visit has ended',
    '<h1>Your visit has ended</h1><p>For your safety this visit was closed. Please <a href="/sign-in">sign in</a> again.</p>',
  );

export const deskPage = (user: string, clientKey: string, formKey: string): string =>
  page(
    'Desk - Tidewell Yard',
    `<h1>Desk of ${escapeHtml(user)}</h1><nav><a id="to-new" href="/intakes/new">Book intake</a> <a id="to-find" href="/find">Find intake</a></nav>
${signOutForm(formKey)}<script>window.yard = {"clientKey":"${clientKey}","desk":4};sessionStorage.setItem("clientKey", window.yard.clientKey);</script>`,
  );

const signOutForm = (formKey: string): string =>
  `<form id="sign-out" method="post" action="/sign-out"><input type="hidden" name="formKey" value="${formKey}"><button>Sign out</button></form>`;

export function newIntakePage(fields: { formKey: string; pageState: string; draft: string; notice?: string }): string {
  return page(
    'Book intake - Tidewell Yard',
    `<h1>Book intake</h1>${fields.notice ? `<p class="notice" role="alert">${escapeHtml(fields.notice)}</p>` : ''}
<form id="intake" method="post" action="/intakes/new">
<input type="hidden" name="formKey" value="${fields.formKey}">
<input type="hidden" name="pageState" value="${escapeHtml(fields.pageState)}">
<input type="hidden" name="draft" value="${fields.draft}">
<input type="hidden" name="openedAt" value=""><input type="hidden" name="twin" value=""><input type="hidden" name="cargo" value="">
<label>Container <input name="container" autocomplete="off"></label>
<label>Grower <input id="grower-search" autocomplete="off"></label><select name="growerId"><option value="">choose</option></select>
<label>Goods <input id="goods"></label><label>Set temperature °C <input id="setpoint"></label><label>Pallets <input id="pallets"></label>
<button>Book</button></form>`,
    '<script src="/assets/yard.js" defer></script>',
  );
}

export function intakePage(intake: Intake, formKey: string): string {
  const grower = growers.find((candidate) => candidate.id === intake.growerId)?.name ?? 'unknown grower';
  return page(
    `Intake ${intake.number} - Tidewell Yard`,
    `<h1>Intake <span id="number">${intake.number}</span></h1>
<dl><dt>Container</dt><dd id="container">${intake.container}</dd><dt>Grower</dt><dd>${escapeHtml(grower)}</dd>
<dt>Goods</dt><dd>${escapeHtml(intake.goods)}</dd><dt>Pallets</dt><dd>${intake.pallets}</dd>
<dt>Bay</dt><dd id="bay">${intake.bay ?? 'none yet'}</dd><dt>Docket</dt><dd id="docket">${intake.docket ?? 'not released'}</dd></dl>
<div id="intake-record" data-id="${intake.id}" data-pallets="${intake.pallets}">
<button id="allocate">Allocate bay</button><select id="bay-choice"></select><button id="take-bay">Take bay</button>
<button id="release">Release load</button></div><p id="message" role="status"></p>
<nav><a id="to-new" href="/intakes/new">Book intake</a> <a id="to-find" href="/find">Find intake</a> <a id="to-inspect" href="/inspection">Inspect load</a></nav>${signOutForm(formKey)}`,
    '<script src="/assets/yard.js" defer></script>',
  );
}

export const inspectionPage = (ticket: string, formKey: string): string =>
  page(
    'Inspection desk - Tidewell Yard',
    `<h1>Inspection desk</h1><div id="inspection" data-ticket="${ticket}"><button id="next-load">Inspect next load</button></div>
<p id="message" role="status"></p><p>Last temperature <span id="news">none yet</span></p>${signOutForm(formKey)}`,
    '<script src="/assets/yard.js" defer></script>',
  );

export const findPage = (formKey: string): string =>
  page(
    'Find intake - Tidewell Yard',
    `<h1>Find intake</h1><form id="find" action="/find/results"><label>Number or container <input name="text"></label><button>Find</button></form>${signOutForm(formKey)}`,
  );

export const foundPage = (text: string, found: Intake[], formKey: string): string =>
  page(
    'Found intakes - Tidewell Yard',
    `<h1>Found ${found.length}</h1><p>Searched for ${escapeHtml(text)}</p><ul>${found
      .map((intake) => `<li><a class="found" href="/intakes/${intake.id}">${intake.number}</a> ${intake.container}</li>`)
      .join('')}</ul>${signOutForm(formKey)}`,
  );

export const goodbyePage = (): string => page('Signed out - Tidewell Yard', '<h1>Goodbye</h1><p>You are signed out.</p>');

export const faultPage = (status: number, text: string): string => page(`Fault ${status}`, `<h1>${escapeHtml(text)}</h1>`);

export const styleSheet = `body{font:15px system-ui;margin:0;background:#eef3f6;color:#20303c}header{background:#27465c;color:#fff;padding:10px 20px}
main{padding:18px 20px;max-width:720px}label{display:block;margin:8px 0}.notice{background:#ffe1dc;padding:8px}`;

/** The page script: fills the hidden fields, searches growers, allocates and releases by XHR. */
export const pageScript = `
const key = () => sessionStorage.getItem('clientKey');
const cookie = (name) => document.cookie.split('; ').find((one) => one.startsWith(name + '='))?.slice(name.length + 1) ?? '';
const headers = () => ({ 'X-Client-Key': key(), 'X-Request-Id': crypto.randomUUID() });
const message = (text) => { document.getElementById('message').textContent = text };
const intake = document.getElementById('intake');
if (intake) {
  intake.elements.openedAt.value = String(Date.now());
  intake.elements.twin.value = cookie('yard_twin');
  document.getElementById('grower-search').addEventListener('change', async (event) => {
    const answer = await fetch('/api/growers?q=' + encodeURIComponent(event.target.value), { headers: headers() });
    const { growers } = await answer.json();
    intake.elements.growerId.replaceChildren(...growers.map((one) => new Option(one.name, one.id)));
  });
  intake.addEventListener('submit', () => {
    intake.elements.cargo.value = JSON.stringify({
      draft: intake.elements.draft.value,
      goods: document.getElementById('goods').value,
      setpointC: Number(document.getElementById('setpoint').value),
      pallets: Number(document.getElementById('pallets').value),
    });
  });
}
const record = document.getElementById('intake-record');
if (record) {
  const own = '/intakes/' + record.dataset.id;
  let version = null;
  // The version stands only in the ETag of the record itself.
  const ready = fetch(own + '/record', { headers: headers() }).then((answer) => { version = answer.headers.get('ETag'); return answer.json() });
  document.getElementById('allocate').addEventListener('click', async () => {
    await ready;
    const answer = await fetch('/api/bays?free=1', { headers: headers() });
    const { bays } = await answer.json();
    document.getElementById('bay-choice').replaceChildren(...bays.map((bay) => new Option(bay.code + ' ' + bay.zone, bay.code)));
  });
  document.getElementById('take-bay').addEventListener('click', async () => {
    const answer = await fetch(own + '/bay', {
      method: 'POST',
      headers: { ...headers(), 'Content-Type': 'application/json', 'If-Match': version, 'X-Twin': cookie('yard_twin') },
      body: JSON.stringify({ bay: document.getElementById('bay-choice').value, pallets: Number(record.dataset.pallets) }),
    });
    if (answer.ok) location.reload();
    else message('Not allocated: ' + (await answer.text()));
  });
  document.getElementById('release').addEventListener('click', async () => {
    await ready;
    const answer = await fetch('/xml/release', {
      method: 'POST',
      headers: { ...headers(), 'Content-Type': 'text/xml' },
      body: '<release><intake>' + record.dataset.id + '</intake><version>' + version.replaceAll('"', '') + '</version><sentAt>' + new Date().toISOString() + '</sentAt></release>',
    });
    const text = await answer.text();
    if (text.includes('<fault>')) message('Not released: ' + text);
    else location.reload();
  });
}
const desk = document.getElementById('inspection');
if (desk) {
  const line = new WebSocket(location.origin.replace('http', 'ws') + '/inspection/line?ticket=' + encodeURIComponent(desk.dataset.ticket));
  const waiting = new Map();
  let asked = 0;
  const ask = (wish) => new Promise((done) => {
    const id = ++asked;
    waiting.set(id, done);
    line.send(JSON.stringify({ type: wish.type, id, ...wish }));
  });
  const hello = new Promise((done) => {
    line.addEventListener('message', (event) => {
      const told = JSON.parse(event.data);
      if (told.type === 'hello') done(told.cursor);
      else if (told.type === 'temperature') document.getElementById('news').textContent = told.bay + ' ' + told.celsius + ' °C';
      else waiting.get(told.id)?.(told);
    });
  });
  document.getElementById('next-load').addEventListener('click', async () => {
    const { loads } = await ask({ type: 'list', cursor: await hello });
    const { seal } = await ask({ type: 'claim', claim: loads[0].claim });
    const answer = await fetch('/api/inspections', {
      method: 'POST',
      headers: { ...headers(), 'Content-Type': 'application/json' },
      body: JSON.stringify({ seal, result: 'sound' }),
    });
    const { inspected } = await answer.json();
    line.close(1000);
    const link = Object.assign(document.createElement('a'), { id: 'to-intake', href: '/intakes/' + inspected, textContent: 'Back to the intake' });
    document.getElementById('message').replaceChildren('Load ' + inspected + ' is inspected. ', link);
  });
}
`;
