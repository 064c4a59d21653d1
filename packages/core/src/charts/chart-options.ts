/** Options of a chart as ECharts takes them: plain data and functions, the same on a screen and where it is printed. */
export type ChartOptions = Record<string, unknown>;

/** The colour of a name: `ink`, `ink-2`, `line`, `s0` to `s7` and so on. */
export type Colour = (name: string) => string;

/** The font of all charts, by its name. */
export const chartFont = 'Figtree Variable';

/** Minutes and seconds: 75 becomes 1:15. */
export const axisClock = (seconds: number): string => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, '0')}`;

/** Colours on white paper, by their names on screen. */
export const paper: Readonly<Record<string, string>> = {
  ink: '#1d2430',
  'ink-2': '#545d6b',
  'ink-3': '#636b77',
  line: '#e4ddd1',
  'line-strong': '#cfc5b4',
  surface: '#ffffff',
  clay: '#a84a26',
  red: '#9f2f2b',
  'teal-soft': '#dff0ed',
  s0: '#0b7a75',
  s1: '#b5522b',
  s2: '#6a4c93',
  s3: '#8a6200',
  s4: '#2f6db5',
  s5: '#8a2d5b',
  s6: '#477319',
  s7: '#525c69',
};
export const paperColour: Colour = (name) => paper[name] ?? '#1d2430';
