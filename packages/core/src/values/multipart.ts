/** One part of a multipart body, by offsets in the body's text. */
export interface MultipartPart {
  name: string;
  /** Where the name stands. */
  nameAt: { start: number; end: number } | null;
  /** Null where the part is no file. */
  fileName: string | null;
  start: number;
  end: number;
}

/** The parts of a multipart/form-data body (RFC 7578); undefined where the text is none. The delimiter is that of its first line. */
export function multipartParts(text: string): MultipartPart[] | undefined {
  const boundary = /^(?:\r?\n)?(--[^\r\n]{1,200})\r?\n/.exec(text)?.[1];
  if (boundary === undefined) return undefined;
  const parts: MultipartPart[] = [];
  let at = text.indexOf(boundary);
  for (;;) {
    const lineEnd = text.indexOf('\n', at);
    const next = text.indexOf(`\n${boundary}`, at + boundary.length);
    if (lineEnd < 0 || next < 0) break;
    const blank = /\r?\n\r?\n/.exec(text.slice(lineEnd, next + 1));
    if (blank) {
      const headers = text.slice(lineEnd, lineEnd + blank.index);
      const name = /;\s*name="([^"]*)"/i.exec(headers);
      const start = lineEnd + blank.index + blank[0].length;
      const end = text[next - 1] === '\r' ? next - 1 : next;
      const nameStart = name ? lineEnd + name.index + name[0].length - 1 - (name[1] ?? '').length : 0;
      parts.push({
        name: name?.[1] ?? '',
        nameAt: name ? { start: nameStart, end: nameStart + (name[1] ?? '').length } : null,
        fileName: /;\s*filename="([^"]*)"/i.exec(headers)?.[1] ?? null,
        start,
        end: Math.max(start, end),
      });
    }
    at = next + 1;
    if (text.startsWith('--', at + boundary.length)) break;
  }
  return parts;
}
