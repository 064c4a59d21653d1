import { readFile } from 'node:fs/promises';
import { initWasm, Resvg } from '@resvg/resvg-wasm';
import { rasteriserFile } from '../shipped/files.js';
import { fontBytes, reportFont, withReportFont } from './report-fonts.js';

let ready: Promise<void> | null = null;

/** A drawing as PNG of this width in pixels, on white. */
export async function drawPicture(svg: string, width: number): Promise<Buffer> {
  ready ??= readFile(rasteriserFile).then((bytes) => initWasm(bytes));
  await ready;
  const drawn = new Resvg(withReportFont(svg), {
    fitTo: { mode: 'width', value: width },
    background: '#ffffff',
    font: { fontBuffers: fontBytes(), defaultFontFamily: reportFont },
  });
  return Buffer.from(drawn.render().asPng());
}
