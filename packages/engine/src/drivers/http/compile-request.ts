import {
  changeChecked,
  isFilePath,
  readPlaces,
  readsBody,
  recordedText,
  type Check,
  type Environment,
  type Expectation,
  type Extractor,
  type FailureSign,
  type RequestStep,
  type SocketUse,
  type Step,
} from '@sturdy/core';
import { CompileError, type CompileContext } from '../../contract/compile-context.js';
import { dataOf, fillerOf, type Render } from '../../values/template.js';
import type { Scope } from '../../values/scope.js';
import type { AwaitedMessage } from './wire.js';

/** A request, ready to be played. */
export interface CompiledRequest {
  kind: 'http';
  step: string;
  method: string;
  /** Origin that is hit, the environment's map applied. */
  origin: string;
  target: Render;
  headers: { name: string; value: Render }[];
  body: ((scope: Scope) => string | Uint8Array) | Uint8Array | null;
  expect: Expectation;
  failureSigns: readonly FailureSign[];
  extracts: { handoff: string; extractor: Extractor; hop: number | undefined; fill: Render | undefined }[];
  /** True where an extractor or a check reads the body; else it is counted and dropped. */
  readsBody: boolean;
  followRedirects: boolean;
  checks: readonly Check[];
  /** What is done with a WebSocket; null where the request has none. */
  socket: CompiledSocket | null;
  http2: boolean;
  /** Tables of which a new row is dealt for this request. */
  fresh: readonly string[];
}

/** What a step does with a WebSocket, ready to be played. */
export interface CompiledSocket {
  action: SocketUse['action'];
  name: string;
  format: 'text' | 'binary';
  /** The message that is waited for, after what was sent; null where none is. */
  awaits: ((sent: string, scope: Scope) => AwaitedMessage) | null;
}

/** Compiles a step that sends a request or uses a WebSocket. Throws `CompileError` where its body is not stored or its target not allowed. */
export function compileRequest(step: RequestStep, context: CompileContext): CompiledRequest {
  const { script, environment, options, renderer, keepsAnswerOf, usesCode } = context;
  const checks = step.checks ?? [];
  const extracts = script.handoffs.flatMap((handoff) =>
    readPlaces(handoff)
      .filter((place) => place.step === step.id)
      .map(({ hop }) => ({ handoff: handoff.id, extractor: handoff.extractor, hop, fill: fillerOf(handoff.extractor, renderer) })),
  );
  return {
    kind: 'http',
    step: step.id,
    method: step.method,
    origin: context.originOf(step),
    target: renderer(step.url),
    headers: step.headers.map(({ name, value }) => ({ name, value: rebase(name, renderer(value), environment) })),
    body: bodyOf(step, context),
    expect: step.expect,
    failureSigns: signsOf(step.id, context),
    extracts,
    readsBody:
      step.expect.title !== null ||
      step.expect.rootElement !== null ||
      environment.failureSigns.length > 0 ||
      checks.some(readsBody) ||
      keepsAnswerOf.has(step.id) ||
      usesCode ||
      extracts.some(({ extractor }) => extractor.kind !== 'header' && extractor.kind !== 'cookie'),
    followRedirects: step.followRedirects,
    checks,
    socket: step.socket ? socketOf(step.socket, context) : null,
    http2: step.http2 === true,
    fresh: [...new Set(dataOf([step.url, ...step.headers.map((header) => header.value), step.body ?? []]))].filter((table) =>
      options.dealtPerUse?.has(table),
    ),
  };
}

/** A body of text alone is a text; one with files in it is put together as bytes. */
function bodyOf(step: RequestStep, { script, options, renderer }: CompileContext): CompiledRequest['body'] {
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

function socketOf(use: SocketUse, { fill }: CompileContext): CompiledSocket {
  const awaits = 'awaits' in use ? use.awaits : null;
  return {
    action: use.action,
    name: use.socket,
    format: use.action === 'send' ? use.format : 'text',
    awaits:
      awaits &&
      ((sent, scope) => ({
        ...awaits,
        sent,
        holds: awaits.holds.map((checked) => changeChecked(checked, (template) => [{ kind: 'text', text: fill(template, scope) }])),
      })),
  };
}

function signsOf(step: string, { environment, options }: CompileContext): readonly FailureSign[] {
  const shown = new Set(options.shownSigns?.[step]?.map((sign) => JSON.stringify(sign)));
  return shown.size === 0 ? environment.failureSigns : environment.failureSigns.filter((sign) => !shown.has(JSON.stringify(sign)));
}

/** Origin and Referer follow the environment's map, or the application would see a foreign site. */
function rebase(name: string, render: Render, environment: Environment): Render {
  if (!/^(origin|referer)$/i.test(name) || Object.keys(environment.map).length === 0) return render;
  return (scope) => {
    const text = render(scope);
    for (const [recorded, real] of Object.entries(environment.map))
      if (text === recorded || text.startsWith(`${recorded}/`)) return real + text.slice(recorded.length);
    return text;
  };
}

/** Steps with files that follow each other put side by side; a file from which something is read keeps its place. */
export function withFilesTogether(steps: readonly Step[], readFrom: ReadonlySet<string>): Step[] {
  const isFile = (step: Step): step is RequestStep =>
    step.kind === 'request' &&
    step.method === 'GET' &&
    !readFrom.has(step.id) &&
    (step.checks ?? []).length === 0 &&
    isFilePath(recordedText(step.url));
  const together: Step[] = [];
  let files: RequestStep[] = [];
  const flush = () => {
    const [first] = files;
    if (first && files.length > 1) together.push({ kind: 'side-by-side', id: `files of ${first.id}`, steps: files });
    else together.push(...files);
    files = [];
  };
  for (const step of steps) {
    if (isFile(step)) files.push(step);
    else {
      flush();
      together.push(step);
    }
  }
  flush();
  return together;
}
