/** A text as SQL writes it (ISO/IEC 9075): in quotes, with each quote of its own twice. */
export const quoted = (text: string): string => `'${text.replace(/'/g, "''")}'`;
