/** A name for a file that every system takes, different from all in `taken`, to which it is added. `ending` is such as `.yaml`. */
export function fileName(name: string, ending: string, taken: Set<string>): string {
  const plain =
    name
      .replace(/[^\p{L}\d._-]+/gu, '-')
      .replace(/^[-.]+|-+$/g, '')
      .slice(0, 100) || 'file';
  for (let n = 1; ; n++) {
    const file = `${plain}${n === 1 ? '' : `-${n}`}${ending}`;
    // Some systems do not tell large letters from small ones.
    if (taken.has(file.toLowerCase())) continue;
    taken.add(file.toLowerCase());
    return file;
  }
}

/** Why a path may not stand in a project, in a sentence; null where it may: relative, with forward slashes, and never upwards. */
export function pathProblem(path: string): string | null {
  if (path === '' || path.length > 300) return 'A path has 1 to 300 signs.';
  if (/^[/\\]|^[A-Za-z]:|\\|\0/.test(path)) return `“${path}” is no path within the project.`;
  return path.split('/').some((part) => part === '..' || part === '.' || part === '') ? `“${path}” leads out of the project.` : null;
}

/** The path of a file as another file of the project names it. */
export function relativePath(from: string, to: string): string {
  const up = from.split('/').slice(0, -1);
  const down = to.split('/');
  while (up.length > 0 && down.length > 1 && up[0] === down[0]) {
    up.shift();
    down.shift();
  }
  return [...up.map(() => '..'), ...down].join('/');
}

/** The path within the project that a file of it means by a relative one. */
export function pathFrom(from: string, relative: string): string {
  const parts = from.split('/').slice(0, -1);
  for (const part of relative.split('/'))
    if (part === '..') parts.pop();
    else if (part !== '.') parts.push(part);
  return parts.join('/');
}
