import {
  keeping,
  leftOutOf,
  scriptFromTake,
  requestSteps,
  surveyTake,
  type Exchange,
  type Header,
  type LoadedTake,
  type Mark,
} from '../index.js';
import { form, html, json, TakeBuilder } from '../test/take-builder.js';

const javaScript: Header[] = [['Content-Type', 'application/javascript']];

/** A take whose exchanges start at the given times, in ms. */
function timed(builder: TakeBuilder, at: (exchange: Exchange) => number, marks: Mark[] = []): LoadedTake {
  const loaded = builder.load();
  return {
    ...loaded,
    take: { ...loaded.take, marks },
    exchanges: loaded.exchanges.map((exchange) => ({ ...exchange, startedAtMs: at(exchange) })),
  };
}
const everySecond = (exchange: Exchange) => exchange.n * 1000;
const played = (loaded: LoadedTake) =>
  requestSteps(scriptFromTake(loaded, { scriptId: 's', name: 's', tidy: surveyTake(loaded).proposal })).map(({ step }) => step.exchange);

/** Labelled takes in which nothing may be lost: each exchange is an act of a person, or is needed by one. */
const withoutLoss: [string, LoadedTake][] = [
  [
    'acts that an older page framework posts to one address, at the even pace of a person',
    timed(
      ['reserve', 'save', 'add', 'change', 'add', 'close'].reduce(
        (builder, act, at) => builder.add(['POST', '/desk', form, `act=${act}&row=${at}`], [200, html, '<title>Desk</title>']),
        new TakeBuilder().add(['GET', '/desk'], [200, html, '<title>Desk</title>']),
      ),
      everySecond,
    ),
  ],
  [
    'the same act done again and again',
    timed(
      Array.from({ length: 6 }).reduce<TakeBuilder>(
        (builder, _, at) =>
          builder.add(['POST', '/rows', json, '{"goods":"Peas"}'], [201, [...json, ['Location', `/rows/${at}`]], `{"id":${at}}`]),
        new TakeBuilder(),
      ),
      everySecond,
    ),
  ],
  [
    'calls to one address that differ in their body only',
    timed(
      Array.from({ length: 6 }).reduce<TakeBuilder>(
        (builder, _, at) => builder.add(['POST', '/rpc', json, `{"method":"save","row":${at}}`], [200, json, '{"ok":true}']),
        new TakeBuilder(),
      ),
      everySecond,
    ),
  ],
  [
    'a list that is asked for after each of several acts',
    timed(
      Array.from({ length: 5 }).reduce<TakeBuilder>(
        (builder, _, at) =>
          builder.add(['POST', '/rows', json, `{"n":${at}}`], [200, json, '{}']).add(['GET', '/rows'], [200, json, '{"rows":[]}']),
        new TakeBuilder(),
      ),
      everySecond,
    ),
  ],
  [
    'pages that a person opens one after the other',
    timed(
      ['a', 'b', 'a', 'b', 'a', 'b', 'a', 'b'].reduce(
        (builder, page) => builder.add(['GET', `/${page}`], [200, html, `<title>${page}</title><form></form>`]),
        new TakeBuilder(),
      ),
      everySecond,
    ),
  ],
  [
    'a business act at an address that sounds like measuring',
    timed(
      new TakeBuilder()
        .add(['POST', '/tracking/parcel', form, 'no=77'], [200, json, '{"id":5}'])
        .add(['POST', '/stats', json, '{"pallets":4}'], [200, json, '{"saved":1}']),
      everySecond,
    ),
  ],
  [
    'a file that gives a key which is sent later, and one that sets a cookie',
    timed(
      new TakeBuilder()
        .add(['GET', '/config.js'], [200, javaScript, 'var key = "k81f2c4aa90de";'])
        .add(
          ['GET', '/logo.svg'],
          [
            200,
            [
              ['Content-Type', 'image/svg+xml'],
              ['Set-Cookie', 'seal=q1'],
            ],
            '<svg/>',
          ],
        )
        .add(
          [
            'GET',
            '/api',
            [
              ['X-Key', 'k81f2c4aa90de'],
              ['Cookie', 'seal=q1'],
            ],
          ],
          [200, json, '{}'],
        ),
      everySecond,
    ),
  ],
  [
    'another host to which something is sent',
    timed(
      new TakeBuilder()
        .add(['GET', '/home'], [200, html, '<title>Home</title>'])
        .add(['POST', '/orders', json, '{"goods":"Peas"}'], [201, json, '{"id":77}']),
      everySecond,
    ),
  ],
];
const [, otherHost] = withoutLoss.at(-1) ?? [];
if (otherHost?.exchanges[1]) otherHost.exchanges[1].url = 'http://orders.example/orders';

describe('nothing is lost before correlation begins', () => {
  it.each(withoutLoss)('%s', (_what, loaded) => {
    expect(played(loaded)).toEqual(loaded.exchanges.map((exchange) => exchange.n));
    expect(surveyTake(loaded).polls).toEqual([]);
  });

  it('while what a timer asks without an act between is found, a POST too whose whole body stays the same', () => {
    const beats = timed(
      Array.from({ length: 6 }).reduce<TakeBuilder>(
        (builder, _, at) =>
          builder
            .add(['POST', '/alive', json, '{"beat":true}'], [200, json, '{"ok":true}'])
            .add(['GET', `/news?_=${1_795_900_000_000 + at}`], [200, json, `{"n":${at}}`]),
        new TakeBuilder(),
      ),
      everySecond,
    );
    expect(surveyTake(beats).polls.map((poll) => [poll.name, poll.exchanges.length])).toEqual([
      ['POST /alive', 6],
      ['GET /news', 6],
    ]);
  });

  it('and says what is left out, with what keeps it', () => {
    const loaded = timed(
      Array.from({ length: 5 }).reduce<TakeBuilder>(
        (builder) => builder.add(['GET', '/alive'], [200, json, '{"ok":true}']),
        new TakeBuilder()
          .add(['GET', '/a'], [200, html, '<title>A</title>'])
          .add(['GET', '/a.css'], [200, [['Content-Type', 'text/css']], 'x']),
      ),
      everySecond,
    );
    const survey = surveyTake(loaded);
    expect(leftOutOf(survey, survey.proposal)).toEqual([
      { keep: 'files', sentence: '1 static file (styles, scripts, images, fonts) is left out.' },
      {
        keep: 'polls',
        sentence: expect.stringMatching(/^GET \/alive was asked 5 times by a timer, every 1\.0 s \(no\. 3, 4, 5, 6, 7\)/) as string,
      },
    ]);
    const kept = keeping(survey, ['files', 'polls']);
    expect(leftOutOf(survey, kept)).toEqual([]);
    expect(requestSteps(scriptFromTake(loaded, { scriptId: 's', name: 's', tidy: kept }))).toHaveLength(7);
  });
});
