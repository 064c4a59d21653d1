import type { BodyReader } from '../take/take.schema.js';
import { bodyKind, mediaType, pathAndQuery } from '../take/messages.js';
import { nodesOf, type SentNode } from '../actions/http/sent-values.js';
import { carriesValue } from '../actions/http/request-parts.js';
import { bodyTree, headerTree, targetTree, type ValueTree } from '../values/value-tree.js';
import type { CapturedRequest } from '../actions/http/captured-request.schema.js';

/** What a replayed request really sent, by place; the places are those of the recorded request. */
export function sentNow({ request }: CapturedRequest, readBody: BodyReader): Map<string, string> {
  const found = new Map<string, string>();
  const add = (tree: ValueTree): void => {
    const walk = (node: SentNode): void => {
      if (!found.has(node.place)) found.set(node.place, node.value);
      node.kids.forEach(walk);
    };
    nodesOf(tree, [{ kind: 'text', text: tree.text }]).forEach(walk);
  };
  add(targetTree(pathAndQuery(request.url)));
  for (const [name, value] of request.headers) if (carriesValue(name) && name.toLowerCase() !== 'referer') add(headerTree(name, value));
  const text = request.body ? (readBody(request.body.hash) ?? '') : '';
  // After a redirect the headers are those of the last request, the body is that of the first.
  const type = request.body?.mimeType ?? '';
  if (text !== '') add(bodyTree(text, bodyKind(type === '' ? mediaType(request.headers) : type)));
  return found;
}
