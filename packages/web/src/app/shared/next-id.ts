/** An id that none of a list has: the prefix and the number after the highest. */
export const nextId = (prefix: string, list: readonly { id: string }[]): string =>
  `${prefix}${list.reduce((highest, item) => Math.max(highest, Number(item.id.slice(prefix.length)) || 0), 0) + 1}`;
