import type { MessageStep, RequestStep } from '@sturdy/core';
import { CompileError, type CompileContext } from '../../contract/compile-context.js';
import type { Scope } from '../../values/scope.js';
import type { Render } from '../../values/template.js';

/** A body, ready to be filled in; null where there is none. */
export type CompiledBody = ((scope: Scope) => string | Uint8Array) | Uint8Array | null;

/** Compiles a body. Throws `CompileError` where it is not stored. A body of text alone is a text; one with files in it is put together as bytes. */
export function bodyOf(step: RequestStep | MessageStep, { script, options, renderer }: CompileContext): CompiledBody {
  const stored = (hash: string): Uint8Array => {
    const bytes = options.readFile?.(hash);
    if (!bytes) throw new CompileError(`Step “${step.name}” of “${script.name}” sends a body that is not stored. Record it again.`);
    return bytes;
  };
  if (step.body === null) return step.bodyFile === null ? null : stored(step.bodyFile);
  if (!step.body.some((piece) => piece.kind === 'file')) return renderer(step.body);
  const parts = step.body.map((piece): Render | Uint8Array =>
    piece.kind === 'file' ? stored(piece.hash).subarray(piece.start, piece.end) : renderer([piece]),
  );
  return (scope) => Buffer.concat(parts.map((part) => (typeof part === 'function' ? Buffer.from(part(scope)) : part)));
}
