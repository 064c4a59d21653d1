import { cutText } from '../cut-text.js';
/** One value of an exposition; labels by name. */
export interface MetricSample {
  name: string;
  labels: Record<string, string>;
  value: number;
}

/** What an exposition says of a family of metrics. */
export interface MetricFamily {
  name: string;
  type: string;
  unit: string;
  help: string;
}

export interface Exposition {
  families: MetricFamily[];
  samples: MetricSample[];
  /** Lines that could not be read, with what is wrong. */
  problems: { line: number; text: string }[];
}

const metadata = /^# (TYPE|UNIT|HELP) ([a-zA-Z_:][a-zA-Z0-9_:]*) ?(.*)$/;
const sampleLine = /^([a-zA-Z_:][a-zA-Z0-9_:]*)(?:\{((?:[^"}]|"(?:[^"\\]|\\.)*")*)\})? ([^ {}#]+)(?: [^ #]+)?(?: # .*)?$/;
const labelPair = /([a-zA-Z_][a-zA-Z0-9_]*)="((?:[^"\\]|\\.)*)"(?:,|$)/gy;
const unescaped = (text: string): string => text.replace(/\\([n"\\])/g, (_, sign: string) => (sign === 'n' ? '\n' : sign));

/** A number as expositions write it (OpenMetrics 1.0, 4.4: NaN and the infinities in any case). */
function numberOf(text: string): number | null {
  if (/^nan$/i.test(text)) return NaN;
  const infinite = /^([+-]?)inf(inity)?$/i.exec(text);
  if (infinite) return infinite[1] === '-' ? -Infinity : Infinity;
  const value = Number(text);
  return Number.isNaN(value) || text === '' ? null : value;
}

/** The labels between braces; null where they are no labels. */
function labelsOf(text: string): Record<string, string> | null {
  const labels: Record<string, string> = {};
  let end = 0;
  for (const match of text.matchAll(labelPair)) {
    labels[match[1] ?? ''] = unescaped(match[2] ?? '');
    end = match.index + match[0].length;
  }
  return end === text.length ? labels : null;
}

/**
 * Reads OpenMetrics text (openmetrics.io, version 1.0, section 4), and the older text format that it came from, which lacks `# EOF` and has
 * other comments. Times of samples and exemplars are passed over; what cannot be read is told and the rest is kept.
 */
export function readOpenMetrics(text: string): Exposition {
  const families = new Map<string, MetricFamily>();
  const samples: MetricSample[] = [];
  const problems: Exposition['problems'] = [];
  const family = (name: string): MetricFamily => {
    const known = families.get(name) ?? { name, type: 'unknown', unit: '', help: '' };
    families.set(name, known);
    return known;
  };
  text.split('\n').forEach((whole, at) => {
    const line = whole.replace(/\r$/, '');
    if (line === '' || line === '# EOF') return;
    const array = metadata.exec(line);
    if (array) {
      const [, kind, name = '', rest = ''] = array;
      if (kind === 'TYPE') family(name).type = rest;
      else if (kind === 'UNIT') family(name).unit = rest;
      else family(name).help = unescaped(rest);
      return;
    }
    if (line.startsWith('#')) return;
    const sample = sampleLine.exec(line);
    const labels = sample ? labelsOf(sample[2] ?? '') : null;
    const value = sample ? numberOf(sample[3] ?? '') : null;
    if (!sample || labels === null || value === null) problems.push({ line: at + 1, text: `“${cutText(line, 80)}” is no sample.` });
    else samples.push({ name: sample[1] ?? '', labels, value });
  });
  return { families: [...families.values()], samples, problems };
}

/** The family that a sample belongs to: its name without the suffix that its type has (OpenMetrics 1.0, 5). */
export function familyOf(name: string, families: readonly MetricFamily[]): MetricFamily | undefined {
  return (
    families.find((family) => family.name === name) ??
    families.find((family) => family.name === name.replace(/_(total|created|count|sum|bucket)$/, ''))
  );
}
