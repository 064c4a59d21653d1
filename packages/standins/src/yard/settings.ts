/** How a request's service time is drawn: always the mean, exponential, or Erlang with two stages. */
export type Distribution = 'fixed' | 'exponential' | 'erlang-2';

/** Everything about Yard that a test or a demo may set. Times in ms unless the name says otherwise. */
export interface YardSettings {
  /** TCP port on 127.0.0.1; 0 takes a free one. */
  port: number;
  /** Requests served at the same time; the others wait in arrival order. */
  workers: number;
  /** Mean service time of one page or call, in ms. */
  serviceMeanMs: number;
  serviceDistribution: Distribution;
  /** Added inside the lock that bay allocation takes, in ms. */
  allocationLockMs: number;
  /** Signed-in sessions above which new connections are refused. */
  maxSessions: number;
  /** A session that was silent for so long is ended, in seconds. */
  sessionIdleSeconds: number;
  /** Bays in the store. */
  bays: number;
  /** Pallets that fit in one bay. */
  bayCapacity: number;
  /** Bays offered in one list of free bays. */
  baysOffered: number;
  /** Seed of service times, bay order and secrets, so that a test can repeat a run. */
  seed: number;
  /** Certificate and key in PEM: with them Yard speaks HTTPS, by HTTP/2 or HTTP/1.1 as the client likes; empty for plain HTTP. */
  certificate: string;
  key: string;
}

export const defaultYardSettings: YardSettings = {
  port: 4701,
  workers: 4,
  serviceMeanMs: 12,
  serviceDistribution: 'exponential',
  allocationLockMs: 3,
  maxSessions: 400,
  sessionIdleSeconds: 900,
  bays: 900,
  bayCapacity: 26,
  baysOffered: 6,
  seed: 1,
  certificate: '',
  key: '',
};
