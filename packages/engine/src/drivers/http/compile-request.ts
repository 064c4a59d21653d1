import {
  isFilePath,
  readsBody,
  recordedText,
  type Check,
  type Environment,
  type Expectation,
  type FailureSign,
  type RequestStep,
  type Step,
} from '@sturdy/core';
import type { CompileContext } from '../../contract/compile-context.js';
import { extractsOf, signsOf, type CompiledExtract } from '../../contract/judge-answer.js';
import { bodyOf, type CompiledBody } from './compile-body.js';
import { dataOf, type Render } from '../../values/template.js';

/** A request, ready to be played. */
export interface CompiledRequest {
  kind: 'http';
  step: string;
  method: string;
  /** Origin that is hit, the environment's map applied. */
  origin: string;
  target: Render;
  headers: { name: string; value: Render }[];
  body: CompiledBody;
  expect: Expectation;
  failureSigns: readonly FailureSign[];
  extracts: readonly CompiledExtract[];
  /** True where an extractor or a check reads the body; else it is counted and dropped. */
  readsBody: boolean;
  followRedirects: boolean;
  checks: readonly Check[];
  /** The name of the WebSocket whose handshake it is; null where it opens none. */
  opensSocket: string | null;
  http2: boolean;
  /** Tables of which a new row is dealt for this request. */
  fresh: readonly string[];
}

/** Compiles a step that sends a request. Throws `CompileError` where its body is not stored or its target not allowed. */
export function compileRequest(step: RequestStep, context: CompileContext): CompiledRequest {
  const { environment, options, renderer, keepsAnswerOf, usesCode } = context;
  const checks = step.checks ?? [];
  const extracts = extractsOf(step.id, context);
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
    opensSocket: step.opensSocket ?? null,
    http2: step.http2 === true,
    fresh: [...new Set(dataOf([step.url, ...step.headers.map((header) => header.value), step.body ?? []]))].filter((table) =>
      options.dealtPerUse?.has(table),
    ),
  };
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
