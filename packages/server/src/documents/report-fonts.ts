import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { reportFontFolder } from '../shipped/files.js';

/** The font of printed documents. Its files come with the library that writes PDF. */
export const reportFont = 'Roboto';

export const fontFiles = () => ({
  normal: join(reportFontFolder, 'Roboto-Regular.ttf'),
  bold: join(reportFontFolder, 'Roboto-Medium.ttf'),
});

export const fontBytes = (): Uint8Array[] => Object.values(fontFiles()).map((file) => new Uint8Array(readFileSync(file)));

/** A drawing with the font that is at hand where it is printed. */
export const withReportFont = (svg: string): string =>
  svg.replace(/font-family="[^"]*"/g, `font-family="${reportFont}"`).replace(/font-family:[^;"]*/g, `font-family:${reportFont}`);
