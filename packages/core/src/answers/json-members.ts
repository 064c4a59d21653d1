import { findNodeAtLocation, parseTree } from 'jsonc-parser';
import { jsonNodes } from './json-path.js';

/** The members that a path leads to, with their places as normalised paths (RFC 9535, 2.7); `beside` as in the schema. */
export function jsonMatches(path: string, document: unknown, beside: string | undefined): { text: string; keys: (string | number)[] }[] {
  if (document === undefined) return [];
  const members = (root: unknown, memberPath: string): { text: string; keys: (string | number)[] }[] =>
    jsonNodes(memberPath, root).flatMap(({ value, keys }) =>
      typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' ? [{ text: String(value), keys }] : [],
    );
  if (beside === undefined) return members(document, path);
  // The objects of the list are looked at one by one: the path up to its last wildcard gives them, the rest the value.
  const star = path.lastIndexOf('[*]');
  if (star < 0) return [];
  const wanted = JSON.stringify(beside).slice(1, -1);
  return jsonNodes(path.slice(0, star + 3), document)
    .filter(({ value }) => JSON.stringify(value).includes(wanted))
    .flatMap(({ value, keys }) =>
      members(value, `$${path.slice(star + 3)}`).map((member) => ({ text: member.text, keys: [...keys, ...member.keys] })),
    );
}

/** Where each member stands in the text of its document. */
export function spansOfMembers(body: string, members: readonly { keys: (string | number)[] }[]): { start: number; end: number }[] {
  const root = parseTree(body);
  return members.map(({ keys }) => {
    const node = root && findNodeAtLocation(root, keys);
    return { start: node?.offset ?? 0, end: node ? node.offset + node.length : 0 };
  });
}
