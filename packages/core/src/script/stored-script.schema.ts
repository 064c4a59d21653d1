import * as z from 'zod';
import { isMembers } from '../members.js';
import { ScriptSchema } from './script.schema.js';
import { changeStoredSteps } from './stored-steps.js';

/** Steps as they are now. Earlier versions stored messages over WebSockets as requests that use one. */
export const withMessageSteps = (stored: unknown): unknown =>
  changeStoredSteps(stored, (step) => {
    const { socket, ...rest } = step;
    if (step['kind'] !== 'request' || !isMembers(socket)) return step;
    if (socket['action'] === 'open') return { ...rest, opensSocket: socket['socket'] };
    const { id, name, exchange, body, bodyFile, expect, checks } = rest;
    const { content = null, harmless } = isMembers(expect) ? expect : {};
    return {
      kind: 'message',
      id,
      name,
      exchange,
      socket: socket['socket'],
      action: socket['action'],
      format: socket['format'] ?? 'text',
      body,
      bodyFile,
      awaits: socket['awaits'] ?? null,
      expect: { content, ...(harmless === undefined ? {} : { harmless }) },
      ...(checks === undefined ? {} : { checks }),
    };
  });

/** A script as it was stored, by this version or an earlier one. */
export const StoredScriptSchema = z.preprocess(withMessageSteps, ScriptSchema);
