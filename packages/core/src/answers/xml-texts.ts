import { Parser } from 'htmlparser2';
import type { Found } from './text-matches.js';

/** Texts of an XML document with the path of element names that leads to them. */
export function xmlTexts(text: string): (Found & { path: string })[] {
  const found: (Found & { path: string })[] = [];
  const path: string[] = [];
  const parser = new Parser(
    {
      onopentag: (name) => path.push(name),
      onclosetag: () => path.pop(),
      ontext: (part) => {
        const where = `/${path.join('/')}`;
        const last = found.at(-1);
        // Entities split a text into parts; the parts of one text belong together.
        if (last?.path === where && parser.startIndex === lastEnd + 1) {
          last.text += part;
          last.end = parser.endIndex + 1;
        } else if (part.trim() !== '') found.push({ path: where, text: part, start: parser.startIndex, end: parser.endIndex + 1 });
        lastEnd = parser.endIndex;
      },
    },
    { xmlMode: true },
  );
  let lastEnd = -2;
  parser.end(text);
  return found.map((foundText) => ({ ...foundText, text: foundText.text.trim() }));
}
