import { build, decodeFromCompressedBase64, encodeIntoCompressedBase64, JsHistogram, type Histogram } from 'hdr-histogram-js';
import type { Summary, TallyData } from './tally.schema.js';

/** Highest response time that a histogram tells apart, in µs: one hour. All histograms share the range, so that any two can be added. */
const highestMicros = 3_600_000_000;

/** Bands of response times are as wide on a logarithmic scale: so many from 1 ms to 10 ms. */
const bandsPerDecade = 10;

/** Where a band of response times begins, in ms; it ends where the next one begins. */
export const bandStartMs = (band: number): number => 10 ** (band / bandsPerDecade);

const newHistogram = (): Histogram =>
  build({
    bitBucketSize: 32,
    autoResize: false,
    lowestDiscernibleValue: 1,
    highestTrackableValue: highestMicros,
    numberOfSignificantValueDigits: 3,
    useWebAssembly: false,
  });

/** Collects samples. Histograms count µs with three significant digits (hdrhistogram.org). */
export class Tally {
  count = 0;
  errors = 0;
  sum = 0;
  sumOfSquares = 0;
  min = Infinity;
  max = 0;
  bytesIn = 0;
  bytesOut = 0;
  firstByte = 0;
  #histogram: Histogram | null = null;

  /** Adds one sample: its response time in ms, whether it was good, its bytes, and the ms to its first byte. */
  add(ms: number, good: boolean, bytesIn = 0, bytesOut = 0, firstByteMs = 0): void {
    if (!Number.isFinite(ms) || ms < 0) throw new RangeError(`A response time must be a number of ms from 0 upwards, not ${ms}.`);
    this.count++;
    if (!good) this.errors++;
    this.sum += ms;
    this.sumOfSquares += ms * ms;
    if (ms < this.min) this.min = ms;
    if (ms > this.max) this.max = ms;
    this.bytesIn += bytesIn;
    this.bytesOut += bytesOut;
    this.firstByte += firstByteMs;
    (this.#histogram ??= newHistogram()).recordValue(Math.min(highestMicros, Math.max(1, Math.round(ms * 1000))));
  }

  /** Adds all samples of another tally. */
  merge(tally: Tally): void {
    this.count += tally.count;
    this.errors += tally.errors;
    this.sum += tally.sum;
    this.sumOfSquares += tally.sumOfSquares;
    this.min = Math.min(this.min, tally.min);
    this.max = Math.max(this.max, tally.max);
    this.bytesIn += tally.bytesIn;
    this.bytesOut += tally.bytesOut;
    this.firstByte += tally.firstByte;
    if (tally.#histogram) (this.#histogram ??= newHistogram()).add(tally.#histogram);
  }

  /** Response time in ms below or at which `percent` of the samples lie (nearest rank). */
  percentile(percent: number): number {
    return this.#histogram ? Math.min(this.max, Math.max(this.min, this.#histogram.getValueAtPercentile(percent) / 1000)) : 0;
  }

  /** How many samples lie in each band of response times, lowest first; bands without a sample are left out. */
  bands(): [band: number, count: number][] {
    const bands = new Map<number, number>();
    for (const { lowest, count } of this.#places()) {
      const band = Math.floor(bandsPerDecade * Math.log10(lowest / 1000) + 1e-9);
      bands.set(band, (bands.get(band) ?? 0) + count);
    }
    return [...bands];
  }

  /** How many samples lie at each response time in ms that the histogram tells apart, lowest first. */
  counts(): [ms: number, count: number][] {
    return this.#places().map(({ highest, count }) => [highest / 1000, count]);
  }

  /** Places of the histogram that hold samples, in µs. A percentile is the highest value of its place. */
  #places(): { lowest: number; highest: number; count: number }[] {
    const histogram = this.#histogram;
    const places: { lowest: number; highest: number; count: number }[] = [];
    if (!(histogram instanceof JsHistogram)) return places;
    const last = histogram.countsArrayIndex(histogram.maxValue);
    for (let index = histogram.countsArrayIndex(Math.round(histogram.minNonZeroValue)); index <= last; index++) {
      const count = histogram.getCountAtIndex(index);
      const lowest = histogram.valueFromIndex(index);
      if (count > 0) places.push({ lowest, highest: histogram.highestEquivalentValue(lowest), count });
    }
    return places;
  }

  toData(): TallyData {
    return {
      count: this.count,
      errors: this.errors,
      sum: this.sum,
      sumOfSquares: this.sumOfSquares,
      min: this.count === 0 ? 0 : this.min,
      max: this.max,
      bytesIn: this.bytesIn,
      bytesOut: this.bytesOut,
      firstByte: this.firstByte,
      histogram: this.#histogram ? encodeIntoCompressedBase64(this.#histogram) : '',
    };
  }

  static from(data: TallyData): Tally {
    const tally = new Tally();
    const { histogram, ...totals } = data;
    Object.assign(tally, totals, { min: data.count === 0 ? Infinity : data.min });
    if (histogram !== '') tally.#histogram = decodeFromCompressedBase64(histogram, 32, false);
    return tally;
  }

  /** Figures over a period of `seconds`. */
  summary(seconds: number): Summary {
    const mean = this.count === 0 ? 0 : this.sum / this.count;
    const variance = this.count < 2 ? 0 : Math.max(0, (this.sumOfSquares - this.count * mean * mean) / (this.count - 1));
    return {
      count: this.count,
      errors: this.errors,
      errorPercent: this.count === 0 ? 0 : (100 * this.errors) / this.count,
      minMs: this.count === 0 ? 0 : this.min,
      meanMs: mean,
      maxMs: this.max,
      deviationMs: Math.sqrt(variance),
      p50Ms: this.percentile(50),
      p90Ms: this.percentile(90),
      p95Ms: this.percentile(95),
      p99Ms: this.percentile(99),
      throughput: seconds > 0 ? this.count / seconds : 0,
      bytesIn: this.bytesIn,
      bytesOut: this.bytesOut,
      firstByteMs: this.count === 0 ? 0 : this.firstByte / this.count,
    };
  }
}
