import type { QuestionAnswer } from '../explore/question.schema.js';
import { chartFont, type ChartOptions, type Colour } from './chart-options.js';

/** Lines of a chart of an answer, at the most. */
const mostLines = 16;

/** How an answer is drawn: which column is across, which are the heights, and which tells lines apart. */
export interface AnswerShape {
  across: number;
  heights: number[];
  /** Null where each column of heights is one line. */
  by: number | null;
}

/**
 * How an answer can be drawn; null where it cannot: there is nothing across, or no number. The first text column beside a number column tells lines apart,
 * where there is another one to go across.
 */
export function answerShape({ columns, rows }: QuestionAnswer): AnswerShape | null {
  if (rows.length < 2) return null;
  const isNumber = (at: number) =>
    rows.some((row) => typeof row[at] === 'number') && rows.every((row) => row[at] === null || typeof row[at] === 'number');
  const numbers = columns.flatMap((_, at) => (isNumber(at) ? [at] : []));
  const texts = columns.flatMap((_, at) => (isNumber(at) ? [] : [at]));
  const [firstText] = texts;
  const [firstNumber, ...otherNumbers] = numbers;
  if (firstNumber === undefined) return null;
  if (firstText === undefined) return otherNumbers.length === 0 ? null : { across: firstNumber, heights: otherNumbers, by: null };
  const names = new Set(rows.map((row) => row[firstText]));
  // Each text once: they go across. Several times: they are lines, over the first number.
  if (names.size === rows.length) return { across: firstText, heights: numbers, by: null };
  const last = numbers.at(-1);
  return otherNumbers.length === 0 || last === undefined || names.size > mostLines
    ? null
    : { across: firstNumber, heights: [last], by: firstText };
}

/** An answer as a chart: bars over texts, lines over numbers. */
export function answerOptions({ columns, rows }: QuestionAnswer, { across, heights, by }: AnswerShape, colour: Colour): ChartOptions {
  const isText = rows.some((row) => typeof row[across] === 'string');
  const nameOf = (at: number) => columns[at]?.name ?? '';
  const lines =
    by === null
      ? heights.map((height) => ({ name: nameOf(height), data: rows.map((row) => [row[across], row[height]]) }))
      : [...new Set(rows.map((row) => String(row[by])))].map((name) => ({
          name,
          data: rows.filter((row) => String(row[by]) === name).map((row) => [row[across], row[heights[0] ?? 0]]),
        }));
  return {
    animation: false,
    textStyle: { fontFamily: chartFont },
    legend: { show: lines.length > 1, top: 0, type: 'scroll', textStyle: { color: colour('ink') } },
    grid: { left: 56, right: 20, top: lines.length > 1 ? 34 : 14, bottom: 40 },
    tooltip: { trigger: 'axis' },
    xAxis: {
      type: isText ? 'category' : 'value',
      name: nameOf(across),
      nameLocation: 'middle',
      nameGap: 24,
      scale: true,
      axisLabel: { color: colour('ink-2') },
      nameTextStyle: { color: colour('ink-2') },
      splitLine: { show: false },
    },
    yAxis: {
      type: 'value',
      name: by === null && heights.length > 1 ? '' : nameOf(heights[0] ?? 0),
      axisLabel: { color: colour('ink-2') },
      nameTextStyle: { color: colour('ink-2') },
      splitLine: { lineStyle: { color: colour('line') } },
    },
    series: lines.slice(0, mostLines).map(({ name, data }, at) => ({
      name,
      type: isText ? 'bar' : 'line',
      data,
      symbol: 'none',
      barMaxWidth: 40,
      itemStyle: { color: colour(`s${at % 8}`) },
      lineStyle: { color: colour(`s${at % 8}`), width: 1.7, type: at < 8 ? 'solid' : 'dashed' },
    })),
  };
}
