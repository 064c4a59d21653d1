/** Rows that a loop goes through, at the most. */
export const mostListed = 10_000;
