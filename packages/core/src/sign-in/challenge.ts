/** One challenge of a WWW-Authenticate header: a scheme with parameters, or with one opaque token. */
export interface Challenge {
  /** In lower case. */
  scheme: string;
  /** By name in lower case. */
  params: Record<string, string>;
  token: string | null;
}

const piece =
  /\s*(?:,\s*)*([!#$%&'*+.^_`|~\w-]+)(?:\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([!#$%&'*+.^_`|~\w:/-]+)(?=\s*(?:,|$)))|[ ]+([A-Za-z0-9\-._~+/]+=*)(?=\s*(?:,|$))|(?=\s|,|$))/y;

/** Reads the challenges of WWW-Authenticate lines (RFC 9110, 11.6.1). What does not fit the grammar ends its line. */
export function readChallenges(lines: readonly string[]): Challenge[] {
  const found: Challenge[] = [];
  for (const line of lines) {
    piece.lastIndex = 0;
    while (piece.lastIndex < line.length) {
      const match = piece.exec(line);
      if (!match) break;
      const [, name = '', quoted, plain, token] = match;
      const value = quoted === undefined ? plain : quoted.replace(/\\(.)/g, '$1');
      if (value === undefined) found.push({ scheme: name.toLowerCase(), params: {}, token: token ?? null });
      else {
        const last = found.at(-1);
        if (last) last.params[name.toLowerCase()] = value;
      }
    }
  }
  return found;
}
