export { axisClock as clock } from '@sturdy/core';

/** A number with thousands apart and as many decimals as wanted. */
export const figure = (value: number, decimals = 0): string =>
  value.toLocaleString('en', { minimumFractionDigits: decimals, maximumFractionDigits: decimals });

/** Bytes with the unit that fits. */
export function bytes(count: number): string {
  if (count < 1000) return `${count} B`;
  if (count < 1e6) return `${(count / 1e3).toFixed(1)} kB`;
  if (count < 1e9) return `${(count / 1e6).toFixed(1)} MB`;
  return `${(count / 1e9).toFixed(1)} GB`;
}

/** Day and time as people say them. */
export const moment = (iso: string): string =>
  new Date(iso).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });

/** The name of a string's colour, so that it is never told by colour alone. */
export const hueNames = ['teal', 'clay', 'violet', 'ochre', 'blue', 'mulberry', 'moss', 'slate'] as const;
export const hue = (index: number): string => `var(--s${index % 8})`;
