import type { GeneratedValue } from '@sturdy/core';

/** What each kind of value that the client makes is called: in full where one chooses it, in short where it stands in a text. */
export const madeNames: { [Kind in GeneratedValue['made']]: { full: string; short: string } } = {
  'epoch-ms': { full: 'time in ms since 1970', short: 'clock, ms' },
  'epoch-s': { full: 'time in s since 1970', short: 'clock, s' },
  'epoch-us': { full: 'time in µs since 1970', short: 'clock, µs' },
  'epoch-fraction': { full: 'time in s since 1970, with a fraction', short: 'clock, s with fraction' },
  ticks: { full: 'time in ticks of 100 ns since the year 1', short: 'clock, ticks of 100 ns' },
  'iso-time': { full: 'time as ISO 8601, in the recorded form', short: 'clock, ISO 8601' },
  'http-date': { full: 'time as HTTP writes it', short: 'clock, as HTTP writes it' },
  guid: { full: 'a UUID', short: 'new UUID' },
  'container-number': { full: 'a container number (ISO 6346)', short: 'new container number' },
  counter: { full: 'a counter, from what was recorded upwards', short: 'counter' },
  'random-digits': { full: 'random digits, as many as recorded', short: 'random number' },
  'random-text': { full: 'random signs, as many as recorded', short: 'random signs' },
  'unique-text': { full: 'what was recorded, with another end each time', short: 'text with a new end' },
  verifier: { full: 'a code verifier (RFC 7636)', short: 'code verifier' },
};
