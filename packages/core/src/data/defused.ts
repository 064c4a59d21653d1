/** Signs at the start of a cell that spreadsheets take for a formula (OWASP, “CSV Injection”). */
const startsFormula = /^[=+\-@\t\r]/;
const isNumber = /^[+-]?(\d+([.,]\d+)*|\d*[.,]\d+)$/;

/** A cell that no spreadsheet computes: an apostrophe before what would start a formula; numbers with a sign stay numbers. */
export const defused = (cell: string): string => (startsFormula.test(cell) && !isNumber.test(cell) ? `'${cell}` : cell);
