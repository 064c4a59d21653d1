import { EncodingSchema, encode, headersIn, statusIn, type AnswerText } from '@sturdy/core';
import {
  newQuickJSWASMModuleFromVariant,
  newVariant,
  shouldInterruptAfterDeadline,
  type QuickJSSyncVariant,
  type QuickJSWASMModule,
} from 'quickjs-emscripten-core';
import * as z from 'zod';
import { preludeSource } from './prelude.js';

/** What code in the sandbox sees: plain texts, copied in. */
export interface CodeInput {
  /** The last answer; null where none came yet. A message has no status and no headers. */
  answer: { url: string; status: number | null; headers: Record<string, string>; body: string } | null;
  variables: Record<string, string>;
  /** Values that were read, by the names of their handoffs. */
  handoffs: Record<string, string>;
  /** The columns of the dealt rows. */
  row: Record<string, string>;
  nowMs: number;
  /** Start of its random stream, from 0 to 1. */
  random: number;
}

/** An answer as code sees it; null where none came yet. */
export const answerForCode = (url: string, view: AnswerText | undefined): CodeInput['answer'] =>
  view
    ? {
        url,
        status: statusIn(view),
        headers: Object.fromEntries(headersIn(view).map(([name, value]) => [name.toLowerCase(), value])),
        body: view.body,
      }
    : null;

const OutputSchema = z.object({
  variables: z.record(z.string(), z.string()),
  /** Changes of the next request that is sent. */
  next: z.object({
    /** Headers that are set; null takes one away. */
    headers: z.record(z.string(), z.string().nullable()),
    query: z.record(z.string(), z.string()),
    body: z.string().nullable(),
  }),
  log: z.array(z.string()),
});
/** What code gave back. */
export type CodeOutput = z.infer<typeof OutputSchema>;
export type NextRequest = CodeOutput['next'];

/** Code may have changed what turns its values into text; what cannot be read is its own fault. */
function outputOf(text: string): CodeOutput {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    value = undefined;
  }
  const read = OutputSchema.safeParse(value);
  if (!read.success)
    throw new CodeError('What it gave back cannot be read. It may have changed the objects that belong to JavaScript itself.', null);
  return read.data;
}

/** Code that failed or went over its limits, in a sentence; `line` counts from 1. */
export class CodeError extends Error {
  constructor(
    message: string,
    readonly line: number | null,
  ) {
    super(message);
  }
}

/** Deepest nesting of calls, in bytes of stack. */
const stackBytes = 256 * 1024;
/** Texts above this many signs do not leave the sandbox. */
const longestOutput = 4_000_000;

/** Bytes of a page of WebAssembly memory, and the pages that the interpreter needs to start with. */
const pageBytes = 65_536;
const leastPages = 256;
/** What the interpreter has at least, in MB. */
export const leastMemoryMb = (leastPages * pageBytes) / (1024 * 1024);

// The types of Node.js do not name it.
const { Memory } = (globalThis as unknown as { WebAssembly: { Memory: new (pages: { initial: number; maximum: number }) => never } })
  .WebAssembly;

const open = new Map<number, Promise<Sandbox>>();

/** The sandbox of this process with so much memory; it is made once, and anew where a run has used its memory up. */
export async function openSandbox(memoryMb: number): Promise<Sandbox> {
  const known = await open.get(memoryMb);
  if (known && !known.isSpent) return known;
  const pages = Math.max(leastPages, Math.ceil((memoryMb * 1024 * 1024) / pageBytes));
  // The interpreter's own limit sees single pieces of memory only; what the machine was given is the whole of it.
  const wasmMemory = new Memory({ initial: leastPages, maximum: pages });
  const made = newVariant((await import('@jitl/quickjs-wasmfile-release-sync')).default as unknown as QuickJSSyncVariant, { wasmMemory });
  const loading = newQuickJSWASMModuleFromVariant(made).then((machine) => new Sandbox(machine, memoryMb));
  open.set(memoryMb, loading);
  return loading;
}

/**
 * Runs JavaScript (ECMAScript 2023) in an interpreter that is itself WebAssembly: it has no way to the process, to files or to the
 * network, only what is copied in and out. Each run has a machine of its own, so nothing that one leaves behind reaches another.
 */
export class Sandbox {
  /** True once a run has used up the memory; it is not to be used again. */
  isSpent = false;

  constructor(
    readonly machine: QuickJSWASMModule,
    readonly memoryMb: number,
  ) {}

  /** Throws `CodeError` where the code fails, runs too long or wants too much memory. */
  run(source: string, input: CodeInput, timeMs: number): CodeOutput {
    const runtime = this.machine.newRuntime();
    runtime.setMaxStackSize(stackBytes);
    const context = runtime.newContext();
    try {
      const wrap = context.newFunction('wrap', (kind, text) => {
        const encoding = EncodingSchema.safeParse(context.getString(kind));
        if (!encoding.success) throw new Error(`There is no wrapping or digest called “${context.getString(kind)}”.`);
        return context.newString(encode(encoding.data, context.getString(text)));
      });
      context.setProp(context.global, '__wrap', wrap);
      wrap.dispose();
      const given = context.newString(JSON.stringify(input));
      context.setProp(context.global, '__input', given);
      given.dispose();
      const evaluate = (text: string, file: string): string => {
        const result = context.evalCode(text, file);
        if (result.error) {
          const error: unknown = context.dump(result.error);
          result.error.dispose();
          throw this.#failure(error, timeMs);
        }
        const value = context.typeof(result.value) === 'string' ? context.getString(result.value) : '';
        result.value.dispose();
        return value;
      };
      evaluate(preludeSource, 'prelude.js');
      runtime.setInterruptHandler(shouldInterruptAfterDeadline(Date.now() + timeMs));
      evaluate(source, codeFile);
      const text = evaluate('__output()', 'prelude.js');
      if (text.length > longestOutput) throw new CodeError('It gives back more text than is taken (4 million signs).', null);
      return outputOf(text);
    } catch (error) {
      if (error instanceof CodeError) throw error;
      // The machine itself gave up.
      this.isSpent = true;
      throw new CodeError(this.#tooMuch(''), null);
    } finally {
      // A machine without memory cannot be tidied up; it is thrown away as a whole.
      if (!this.isSpent) {
        context.dispose();
        runtime.dispose();
      }
    }
  }

  #tooMuch(where: string): string {
    return `${where}It wanted more than the ${this.memoryMb} MB of memory that it may have.`;
  }

  #failure(error: unknown, timeMs: number): CodeError {
    const thrown = error as { name?: unknown; message?: unknown; stack?: unknown } | null | undefined;
    const text = (value: unknown): string => (typeof value === 'string' ? value : '');
    const stack = typeof error === 'object' ? text(thrown?.stack) : '';
    const line = new RegExp(`${codeFile.replace('.', '\\.')}:(\\d+)`).exec(stack)?.[1];
    const at = line === undefined ? null : Number(line);
    const where = at === null ? '' : `Line ${at}: `;
    // Without memory even the error cannot be made.
    if (error === null || error === undefined || (typeof error === 'object' && thrown?.message === 'out of memory')) {
      this.isSpent = true;
      return new CodeError(this.#tooMuch(where), at);
    }
    if (typeof error !== 'object') return new CodeError(`It threw ${JSON.stringify(error)}.`, null);
    const message = text(thrown?.message);
    if (message === 'interrupted')
      return new CodeError(`${where}It ran longer than the ${timeMs} ms that it may. Look for a loop without an end.`, at);
    return new CodeError(`${where}${text(thrown?.name) || 'Error'}: ${message}`, at);
  }
}

const codeFile = 'code.js';
