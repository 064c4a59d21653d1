import {
  bindColumn,
  correlate,
  coverage,
  judgeRehearsal,
  likenessOf,
  placesOf,
  redirectTarget,
  repair,
  requestSteps,
  ResponseView,
  scriptFromTake,
  type LoadedTake,
  type Script,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { playback, type Answer } from '../test/playback.js';
import { form, html, json, TakeBuilder } from '../test/take-builder.js';

const scripted = (loaded: LoadedTake): Script => scriptFromTake(loaded, { scriptId: 's', name: 's', tidy: everything });

const signInPage = (token: string) =>
  `<title>Sign in</title><form><input type="hidden" name="token" value="${token}"><input type="password" name="p"></form>`;
const desk = '<title>Desk</title><h1>Desk</h1><ul><li>one</li></ul>';

/** Sign in with a hidden token, make a thing, change it by its id. */
const recorded = new TakeBuilder()
  .add(['GET', '/sign-in'], [200, html, signInPage('tok-1a2b3c')])
  .add(['POST', '/sign-in', form, 'token=tok-1a2b3c&user=mara'], [303, [['Location', '/desk']]])
  .add(['GET', '/desk'], [200, html, desk])
  .add(['POST', '/things', json, '{"name":"Crate 7788"}'], [201, [...json, ['Location', '/things/501']], '{"id":501}'])
  .add(['POST', '/things/501', json, '{"state":"open"}'], [200, json, '{"ok":1}'])
  .load();
const script = scripted(recorded);

const good: Record<string, Answer> = {
  s1: [200, html, signInPage('tok-1a2b3c')],
  s2: [303, [['Location', '/desk']]],
  s3: [200, html, desk],
  s4: [201, [...json, ['Location', '/things/501']], '{"id":501}'],
  s5: [200, json, '{"ok":1}'],
};
const judged = (answers: Record<string, Answer>, ownScript = script) => judgeRehearsal(ownScript, recorded, playback(ownScript, answers));

describe('judging a rehearsal', () => {
  it('passes where every answer is like the take and nothing was sent stale', () => {
    const result = judged(good);
    expect(result.verdict).toBe('passed');
    expect(result.divergence).toBeNull();
  });

  it('names the ended visit behind a status 200, and the value that was sent stale', () => {
    const ended = '<title>Your visit has ended</title><p>Sign in again</p>';
    const result = judged({ ...good, s1: [200, html, signInPage('tok-9z8y7x')], s2: [200, html, ended], s3: [200, html, ended] });
    expect(result.verdict).toBe('failed');
    expect(result.steps.map((step) => step.verdict)).toEqual(['passed', 'failed', 'failed', 'passed', 'passed']);
    expect(result.divergence).toMatchObject({
      number: 2,
      cause: 'stale-value',
      sentence:
        'Step 2, POST /sign-in: It answered 200 instead of 303: “Your visit has ended”. It sent token “tok-1a2b3c” from the take; the server now gives “tok-9z8y7x” at step 1 (the form field token).',
    });
  });

  it('lets a step drift that answers as in the take but changes the recorded thing instead of the new one', () => {
    const result = judged({ ...good, s4: [201, [...json, ['Location', '/things/502']], '{"id":502}'] });
    expect(result.steps.map((step) => step.verdict)).toEqual(['passed', 'passed', 'passed', 'passed', 'drifted']);
    expect(result.verdict).toBe('drifted');
    expect(result.divergence?.sentence).toContain(
      'answered as in the take, but proves nothing. It sent thing “501” from the take; the server now gives “502”',
    );
  });

  it('finds failures inside a 200: a sign-in form, an alert, a fault element, an error member, another kind of content', () => {
    const verdictOf = (answers: Record<string, Answer>, at: number) => judged({ ...good, ...answers }).steps[at]?.reasons[0];
    expect(verdictOf({ s3: [200, html, `${desk}<input type="password">`] }, 2)).toContain('asks to sign in');
    expect(verdictOf({ s3: [200, html, `${desk}<p role="alert">The stock is closed</p>`] }, 2)).toContain('says “The stock is closed”');
    expect(verdictOf({ s5: [200, json, '{"ok":1,"error":"locked by another"}'] }, 4)).toContain('says “locked by another”');
    expect(verdictOf({ s5: [200, [['Content-Type', 'text/xml']], '<Fault><text>locked</text></Fault>'] }, 4)).toContain(
      'It answered with xml where the take had json',
    );
  });

  it('does not send what comes after a connection that failed, and says where', () => {
    const result = judged({ s1: good['s1'] ?? '', s2: 'http://127.0.0.1:9 refused the connection.' });
    expect(result.steps.map((step) => step.verdict)).toEqual(['passed', 'failed', 'not-sent', 'not-sent', 'not-sent']);
    expect(result.divergence).toMatchObject({ cause: 'unreachable', number: 2 });
  });

  it('names a typed value that the answer refuses', () => {
    const result = judged({ ...good, s4: [409, json, '{"error":"Crate 7788 exists"}'] });
    expect(result.divergence).toMatchObject({ cause: 'refused-value', refused: 'Crate 7788' });
  });

  it('names a typed value beside which the page says that it is taken, without quoting it', () => {
    const take = new TakeBuilder()
      .add(['POST', '/add', form, 'token=1&table=mailbox&username=grower-one&role=user'], [302, [['Location', '/users/4']]])
      .load();
    const ownScript = scripted(take);
    const page =
      '<p class="errornote">Please correct the error below.</p><ul class="errorlist"><li>A user of that name already exists.</li></ul><input type="hidden" name="table" value="mailbox"><input name="username" value="grower-one"><input name="role" value="user">';
    const result = judgeRehearsal(ownScript, take, playback(ownScript, { s1: [200, html, page] }));
    expect(result.divergence).toMatchObject({ cause: 'refused-value', refused: 'grower-one' });
    expect(repair(ownScript, take, { rehearsal: result, proof: null }).script.made).toMatchObject([
      { made: 'unique-text', recorded: 'grower-one' },
    ]);
  });

  it('drifts where the answer is built differently', () => {
    const result = judged({ ...good, s3: [200, html, '<title>Desk</title><table><tr><td>a</td></tr></table><form name="x"></form>'] });
    expect(result.steps[2]).toMatchObject({ verdict: 'drifted' });
    const view = (text: string) => new ResponseView(200, json, text);
    expect(likenessOf(view('{"a":[{"b":1}]}'), view('{"a":[{"b":2},{"b":3}]}'))).toBe(1);
    // Paths $, $.a against $, $.b: one of three is shared.
    expect(likenessOf(view('{"a":1}'), view('{"b":1}'))).toBeCloseTo(1 / 3, 9);
  });
});

describe('repairing', () => {
  const rehearse = (answers: Record<string, Answer>, ownScript = script) => {
    const result = judged(answers, ownScript);
    return repair(ownScript, recorded, { rehearsal: result, proof: null });
  };

  it('hands off every value that was proved stale, wherever it is used', () => {
    const repaired = rehearse({
      ...good,
      s1: [200, html, signInPage('tok-9z8y7x')],
      s4: [201, [...json, ['Location', '/things/502']], '{"id":502}'],
    });
    expect(repaired.report.handoffs).toMatchObject([
      { name: 'token', evidence: 'proven', uses: 1 },
      { name: 'thing', evidence: 'proven', uses: 1 },
    ]);
    expect(
      coverage(repaired.script)
        .filter((value) => value.class === 'handed-off')
        .map((value) => value.place),
    ).toEqual(['form:token', 'path:2']);
    // The next rehearsal has nothing stale left.
    expect(judged({ ...good, s1: [200, html, signInPage('tok-9z8y7x')] }, repaired.script).verdict).toBe('passed');
  });

  it('lets a redirect lead elsewhere where only a part that is no name differs, and nowhere else', () => {
    const take = new TakeBuilder()
      .add(['POST', '/in', form, 'user=mara'], [303, [['Location', '/desk/NYEgptaIQNH']]])
      .add(['GET', '/desk/NYEgptaIQNH'], [200, html, desk])
      .load();
    const ownScript = scriptFromTake(take, { scriptId: 's', name: 's', tidy: { ...everything, foldRedirects: true } });
    const to = (place: string) => {
      const captured = playback(ownScript, { s1: [200, html, desk] });
      for (const step of captured.steps) step.hops = [{ status: 303, statusText: '', headers: [['Location', place]], body: null }];
      return judgeRehearsal(ownScript, take, captured);
    };
    const elsewhere = to('/desk/Vxtu55crplG');
    expect(elsewhere.steps).toMatchObject([{ verdict: 'drifted', redirect: '/desk/*' }]);
    const { script: repaired, report } = repair(ownScript, take, { rehearsal: elsewhere, proof: null });
    expect(report.eased).toHaveLength(1);
    expect(requestSteps(repaired)[0]?.step.expect.redirect).toBe('/desk/*');
    // A name that differs is another place; so is a longer way.
    expect(to('/error/NYEgptaIQNH').verdict).toBe('failed');
    expect(to('/desk/NYEgptaIQNH/locked').verdict).toBe('failed');
  });

  it('reads a relative Location from where it was given (RFC 9110, 10.2.2)', () => {
    expect(redirectTarget('http://h/a/b?x=1', [{ headers: [['Location', '../c']] }, { headers: [['Location', 'd?y=2']] }])).toBe(
      'http://h/d?y=2',
    );
    expect(redirectTarget('http://h/a', [{ headers: [] }])).toBeUndefined();
  });

  it('changes nothing without a ground', () => {
    const repaired = rehearse({ ...good, s4: [409, json, '{"error":"No room left"}'] });
    expect(repaired.report).toMatchObject({ handoffs: [], made: [] });
    expect(repaired.script).toEqual(script);
  });

  it('makes clocks and UUIDs that no answer gave anew, in a script that nothing was correlated in', () => {
    const empty = new TakeBuilder().add(['GET', '/'], [200, html, desk]).load();
    const openedAt = String(Date.parse(empty.take.startedAt) + 100);
    const id = '1b4e28ba-2fa1-41d2-883f-0016d3cca427';
    const take = new TakeBuilder()
      .add(['GET', '/'], [200, html, desk])
      .add(['POST', '/book', form, `goods=apples&openedAt=${openedAt}&request=${id}`], [303, [['Location', '/done']]])
      .load();
    const ownScript = scripted(take);
    const late = '<title>Book</title><p role="alert">This form was open for too long</p>';
    const result = judgeRehearsal(ownScript, take, playback(ownScript, { s1: [200, html, desk], s2: [200, html, late] }));
    const experiment = repair(ownScript, take, { rehearsal: result, proof: null });
    expect(experiment.tried).toMatchObject([{ kind: 'client-made', sentence: expect.stringContaining('opened at') as unknown }]);
    expect(experiment.sure.made.map(({ made, recorded: value }) => [made, value])).toEqual([
      ['epoch-ms', openedAt],
      ['guid', id],
    ]);
    expect(repair(experiment.script, take, { rehearsal: result, proof: null }).tried.map(({ kind }) => kind)).not.toContain('client-made');
  });

  it('makes a refused number anew where its form follows a published standard', () => {
    const take = new TakeBuilder().add(['POST', '/book', form, 'container=CSQU3054383'], [303, [['Location', '/done']]]).load();
    const ownScript = scripted(take);
    const result = judgeRehearsal(
      ownScript,
      take,
      playback(ownScript, { s1: [200, html, '<title>Book</title><p role="alert">CSQU3054383 was booked before</p>'] }),
    );
    expect(repair(ownScript, take, { rehearsal: result, proof: null }).script.made).toMatchObject([
      { made: 'container-number', recorded: 'CSQU3054383' },
    ]);
  });
});

describe('binding data', () => {
  const take = new TakeBuilder()
    .add(['POST', '/a', form, `no=AB%2F7&doc=${encodeURIComponent('{"no":"AB/7"}')}`], [200, json, '{}'])
    .add(['GET', '/find?no=AB%2F7'], [200, json, '{}'])
    .add(['GET', '/other?no=AB%2F8'], [200, json, '{}'])
    .load();

  it('finds a value wherever it is sent, encoded variants included, and replaces only what was ticked', () => {
    const ownScript = scripted(take);
    const places = placesOf(ownScript, 'AB/7');
    expect(places.map((place) => [place.number, place.place])).toEqual([
      [1, 'form:no'],
      [1, 'form:doc/json:/no'],
      [2, 'query:no'],
    ]);
    const bound = bindColumn(ownScript, 'AB/7', places.slice(0, 2), 't', 'number');
    expect(
      coverage(bound)
        .filter((value) => value.class === 'data')
        .map((value) => value.place),
    ).toEqual(['form:no', 'form:doc/json:/no']);
  });
});

describe('a form that was sent', () => {
  const page = (fields: string, more = '') => `<title>Crates</title><nav><a href="/">Home</a></nav>${more}<form>${fields}</form>`;
  const fields = (names: readonly string[]) => names.map((name) => `<tr><td>${name}</td><td><input name="${name}"></td></tr>`).join('');
  const names = ['code', 'goods', 'grower', 'pallets'];
  const loaded = new TakeBuilder()
    .add(['GET', '/crates/new'], [200, html, page(`<table>${fields(names)}</table>`)])
    .add(['POST', '/crates', form, 'code=A7&goods=Peas&grower=Hill&pallets=3'], [200, html, page('<button>Go on</button>', '<p>Made.</p>')])
    .load();
  const ownScript = scripted(loaded);
  const play = (answer: string) =>
    judgeRehearsal(
      ownScript,
      loaded,
      playback(ownScript, { s1: [200, html, page(`<table>${fields(names)}</table>`)], s2: [200, html, answer] }),
    );

  it('and is shown again was not taken, and what the server says of it is told', () => {
    const again = play(page(`<table>${fields(names)}</table>`, '<p>A crate A7 exists already.</p>'));
    expect(again.steps[1]).toMatchObject({
      verdict: 'failed',
      reasons: ['It shows the form again that was sent, and says “A crate A7 exists already.”.'],
    });
    expect(again.steps[1]?.said).toContain('A crate A7 exists already.');
  });

  it('is no page that asks to sign in because a password can be set on it', () => {
    const account = page('<input type="password" name="new"><input type="password" name="again"><button>Go on</button>', '<p>Made.</p>');
    expect(play(account).steps[1]?.reasons.join(' ')).not.toContain('sign in');
    const gone = '<title>Crates</title><form><input name="user"><input type="password" name="password"></form>';
    expect(play(gone).steps[1]?.reasons).toEqual(['The page asks to sign in; in the take it did not.']);
  });

  it('is not refused by a button that is dressed like a warning', () => {
    const dressed = page('<button>Go on</button><button class="danger">Delete them all</button>', '<p>Made.</p>');
    expect(play(dressed).steps[1]).toMatchObject({ verdict: 'passed' });
    const warned = page('<button>Go on</button>', '<p class="error">Delete failed</p><p>Made.</p>');
    expect(play(warned).steps[1]).toMatchObject({ verdict: 'failed' });
  });
});

it('what a refusal says is told where a redirect was expected, and a fault of a program where the take holds no answer', () => {
  const loaded = new TakeBuilder()
    .add(['POST', '/crates', form, 'code=A7'], [303, [['Location', '/crates/1']]])
    .add(['POST', '/release', json, '{"crate":1}'], [200, [['Content-Type', 'text/xml']], ''])
    .load();
  const ownScript = scripted(loaded);
  const { steps } = judgeRehearsal(
    ownScript,
    loaded,
    playback(ownScript, {
      s1: [200, html, '<p>The crate exists already.</p>'],
      s2: [200, [['Content-Type', 'text/xml']], '<fault><text>The message is too old.</text></fault>'],
    }),
  );
  expect(steps[0]?.said).toEqual(['The crate exists already.']);
  expect(steps[1]).toMatchObject({ verdict: 'failed', reasons: ['It answered 200, but says “The message is too old.”.'] });
});

it('a title that names what was made anew fits the shape in which both takes have other words there', () => {
  const named = (who: string) => [200, html, `<title>Store 1.2 - name=${who},part=people</title>`] as [number, typeof html, string];
  const flow = (who: string) => new TakeBuilder().add(['GET', '/a'], named(who)).load();
  const ownScript = correlate(scripted(flow('Ann Hill')), flow('Ann Hill'), flow('Bea Wood')).script;
  const play = (who: string) =>
    judgeRehearsal(ownScript, flow('Ann Hill'), playback(ownScript, { s1: named(who) }), flow('Bea Wood')).verdict;
  expect([play('Ann Hillx7k2'), play('Ann Hill')]).toEqual(['passed', 'passed']);
  expect(judgeRehearsal(ownScript, flow('Ann Hill'), playback(ownScript, { s1: [200, html, '<title>Error</title>'] })).verdict).toBe(
    'failed',
  );
});

describe('what has to be new each time', () => {
  const flow = (code: string, name: string) =>
    new TakeBuilder()
      .add(['GET', '/new'], [200, html, '<form><input name="code"><input name="name"><textarea name="note"></textarea></form>'])
      .add(
        ['POST', '/check', form, `code=${code}&name=${name}&note=Dry+and+cool`],
        [200, html, `<form><input type="hidden" name="code" value="${code}"><input type="hidden" name="name" value="${name}"></form>`],
      )
      .add(['POST', '/make', form, `code=${code}&name=${name}`], [303, [['Location', '/made']]])
      .load();
  const [take, second] = [flow('HILL-ANN', 'Ann+Hill'), flow('WOOD-BEA', 'Bea+Wood')];
  const ownScript = correlate(scripted(take), take, second).script;

  it('is all that names the thing, though an earlier page of a wizard asked for it', () => {
    const judgedNow = judgeRehearsal(
      ownScript,
      take,
      playback(ownScript, {
        s1: [200, html, '<form><input name="code"><input name="name"><textarea name="note"></textarea></form>'],
        s2: [
          200,
          html,
          '<form><input type="hidden" name="code" value="HILL-ANN"><input type="hidden" name="name" value="Ann Hill"></form>',
        ],
        s3: [200, html, '<p>The entry exists already.</p>'],
      }),
      second,
    );
    const experiment = repair(ownScript, take, { rehearsal: judgedNow, proof: null }, second);
    expect(experiment.tried[0]).toMatchObject({ kind: 'must-be-new', number: 3 });
    expect(experiment.script.made.map((made) => made.recorded).sort()).toEqual(['Ann Hill', 'HILL-ANN']);
    // Where that does not help, they are tried one by one.
    const next = repair(ownScript, take, { rehearsal: judgedNow, proof: null }, second, [experiment.tried[0]?.id ?? '']);
    expect(next.script.made).toHaveLength(1);
  });
});

describe('an answer that the take lacks, because a script sent its form on at once', () => {
  const flow = (token: string) =>
    new TakeBuilder()
      .add(['POST', '/provider', form, 'user=kim'], [200, html, ''])
      .add(['POST', '/back', form, `answer=${token}&relay=home`], [303, [['Location', '/desk']]])
      .load();
  const [take, second] = [flow('aZ81kq0Lw7Rt55Xc'), flow('Qm39vb2Pf6Hs71Yd')];
  const ownScript = correlate(scripted(take), take, second).script;
  const play = (now: string) =>
    judgeRehearsal(
      ownScript,
      take,
      playback(ownScript, {
        s1: [200, html, `<form><input type="hidden" name="answer" value="${now}"><input type="hidden" name="relay" value="home"></form>`],
        s2: [400, html, '<title>Bad request</title>'],
      }),
      second,
    );

  it('is had by the rehearsal: what stands in it is handed off, and nothing that both takes sent alike', () => {
    const seen = play('Tk90rr4Bn2Gz83Wj');
    expect(seen.steps[1]?.stale.map((value) => [value.place, value.current, value.origin])).toEqual([
      ['form:answer', 'Tk90rr4Bn2Gz83Wj', 's1'],
    ]);
    const { script: mended } = repair(ownScript, take, { rehearsal: seen, proof: null }, second);
    expect(mended.handoffs).toMatchObject([{ origin: 's1', extractor: { kind: 'field', name: 'answer' } }]);
  });

  it('says nothing of what the answer merely prefills: a person wrote over it', () => {
    const edited = new TakeBuilder()
      .add(['GET', '/person'], [200, html, ''])
      .add(['POST', '/person', form, 'full=Kim+Hill%2C+night+watch&kind=evening&seal=aZ81kq0Lw7Rt55Xc'], [200, html, '<p>Saved</p>'])
      .load();
    const script = scripted(edited);
    const page =
      '<form><input name="full" value="Kim Hill of the quay"><select name="kind"><option value="morning watch">m</option></select><input type="hidden" name="seal" value="Tk90rr4Bn2Gz83Wj"></form>';
    const seen = judgeRehearsal(script, edited, playback(script, { s1: [200, html, page], s2: [200, html, '<p>Saved</p>'] }));
    expect(seen.steps[1]?.stale.map((value) => value.place)).toEqual(['form:seal']);
  });

  it('says nothing where it gives no other value', () => {
    expect(play('aZ81kq0Lw7Rt55Xc').steps[1]?.stale).toEqual([]);
  });
});
