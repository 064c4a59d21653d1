import * as z from 'zod';
import { UsageError } from './usage-error.js';

/** What a server refused, in its own words. */
export class RefusedAnswer extends UsageError {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

/** What is asked of a schema. Its full type would keep the compiler busy for minutes. */
interface AnswerSchema<T> {
  parse: (value: unknown) => T;
}

/** What a server answers, read by its schema. Throws with what the server says is wrong, or that none answers. */
export async function ask<T>(address: string, schema: AnswerSchema<T>, request: RequestInit & { duplex?: 'half' } = {}): Promise<T> {
  const response = await answerOf(address, request);
  return schema.parse(await response.json());
}

/** What a server answers, as it comes. Throws as `ask` does. */
export async function answerOf(address: string, request: RequestInit & { duplex?: 'half' } = {}): Promise<Response> {
  const response = await fetch(address, request).catch((error: unknown) => {
    const cause = error instanceof Error && error.cause instanceof Error ? error.cause.message : String(error);
    throw new UsageError(
      `${new URL(address).origin} does not answer (${cause}). Start the server with sturdy serve, or name another with --server.`,
    );
  });
  if (response.ok) return response;
  const problem = z.object({ title: z.string(), detail: z.string() }).safeParse(await response.json().catch(() => null));
  throw new RefusedAnswer(
    response.status,
    problem.success ? `${problem.data.title}. ${problem.data.detail}` : `The server answered ${response.status}.`,
  );
}
