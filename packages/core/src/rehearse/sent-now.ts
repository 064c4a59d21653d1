import type { BodyReader, BodyRef } from '../take/take.schema.js';
import { bodyKind, mediaType, pathAndQuery } from '../take/messages.js';
import { nodesOf, type SentNode } from '../actions/sent-values.js';
import { carriesValue } from '../actions/sent-parts.js';
import { bodyTree, headerTree, targetTree, type ValueTree } from '../values/value-tree.js';
import type { CapturedStep } from '../actions/action-step.schema.js';

/** What a step really sent when it was played, by place; the places are those of the recorded step. */
export function sentNow(captured: CapturedStep, readBody: BodyReader): Map<string, string> {
  const found = new Map<string, string>();
  for (const tree of treesOf(captured, readBody)) {
    const walk = (node: SentNode): void => {
      if (!found.has(node.place)) found.set(node.place, node.value);
      node.kids.forEach(walk);
    };
    nodesOf(tree, [{ kind: 'text', text: tree.text }]).forEach(walk);
  }
  return found;
}

function treesOf(captured: CapturedStep, readBody: BodyReader): ValueTree[] {
  switch (captured.kind) {
    case 'request': {
      const { url, headers, body } = captured.request;
      const ofApplication = headers.filter(([name]) => carriesValue(name) && name.toLowerCase() !== 'referer');
      // After a redirect the headers are those of the last request, the body is that of the first.
      const type = body?.mimeType ?? '';
      return [
        targetTree(pathAndQuery(url)),
        ...ofApplication.map(([name, value]) => headerTree(name, value)),
        ...bodyTrees(body, type === '' ? mediaType(headers) : type, readBody),
      ];
    }
    case 'message':
      return bodyTrees(captured.sent, captured.sent?.mimeType ?? '', readBody);
    case 'line':
      // Lines were not recorded.
      return [];
  }
}

function bodyTrees(body: BodyRef | null, type: string, readBody: BodyReader): ValueTree[] {
  const text = body ? (readBody(body.hash) ?? '') : '';
  return text === '' ? [] : [bodyTree(text, bodyKind(type))];
}
