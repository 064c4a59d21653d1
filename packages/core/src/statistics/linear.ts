/** Solves a small system of linear equations by elimination with pivots; null where it has no single solution. */
export function solveLinear(matrix: readonly (readonly number[])[], right: readonly number[]): number[] | null {
  const rows = matrix.map((row, at) => [...row, right[at] ?? 0]);
  const size = rows.length;
  for (let column = 0; column < size; column++) {
    let pivot = column;
    for (let row = column + 1; row < size; row++)
      if (Math.abs(rows[row]?.[column] ?? 0) > Math.abs(rows[pivot]?.[column] ?? 0)) pivot = row;
    const [top, chosen] = [rows[column], rows[pivot]];
    if (!top || !chosen || Math.abs(chosen[column] ?? 0) < 1e-14) return null;
    rows[column] = chosen;
    rows[pivot] = top;
    for (let row = 0; row < size; row++) {
      const current = rows[row];
      if (row === column || !current) continue;
      const factor = (current[column] ?? 0) / (chosen[column] ?? 1);
      for (let place = column; place <= size; place++) current[place] = (current[place] ?? 0) - factor * (chosen[place] ?? 0);
    }
  }
  return rows.map((row, at) => (row[size] ?? 0) / (row[at] ?? 1));
}
