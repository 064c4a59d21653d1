/**
 * The beginning of a text, at most so many UTF-16 units, with “…” where something was cut off. A sign of two units (Unicode 3.9, D73) is never cut
 * through: half of one is no text, and neither a database nor a file can hold it.
 */
export function cutText(text: string, length: number): string {
  return text.length <= length ? text : `${textStart(text, length)}…`;
}

/** The beginning of a text without a sign that says that something is missing. */
export function textStart(text: string, length: number): string {
  const last = text.charCodeAt(length - 1);
  const isCutThrough = text.length > length && last >= 0xd800 && last <= 0xdbff;
  return text.slice(0, isCutThrough ? length - 1 : length);
}
