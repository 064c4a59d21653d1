import * as z from 'zod';

/**
 * How a text is wrapped where it stands: `form` and `percent` after the WHATWG URL standard and RFC 3986, `component` and
 * `component-plus` as page scripts do it (ECMA-262 encodeURIComponent, blanks as `+`), `form-lower` with small hex digits,
 * base64, base64url and hex after RFC 4648, `utf8` a text as the bytes of a body. What follows `utf8` cannot be taken off again:
 * another case, separators left out, and digests (RFC 1321, FIPS 180-4) of the text in it.
 */
export const EncodingSchema = z.enum([
  'form',
  'form-lower',
  'percent',
  'component',
  'component-plus',
  'json',
  'xml',
  'base64',
  'base64url',
  'hex',
  'utf8',
  'upper',
  'lower',
  'bare',
  'md5',
  'sha1',
  'sha256',
  'sha512',
  'sha1-base64',
  'sha256-base64',
  'sha256-base64url',
]);
export type Encoding = z.infer<typeof EncodingSchema>;

const recorded = { recorded: z.string() };

/**
 * A part of a text. Those that move know what was recorded in their place. A `file` is a run of bytes of a stored body that is no
 * text, such as an uploaded picture in a multipart body; one sign stands for it in the recorded text.
 */
export type Piece =
  | { kind: 'text'; text: string }
  | { kind: 'handoff'; handoff: string; recorded: string }
  | { kind: 'data'; table: string; column: string; recorded: string }
  | { kind: 'made'; made: string; recorded: string }
  | { kind: 'variable'; name: string; recorded: string }
  | { kind: 'file'; hash: string; start: number; end: number; recorded: string }
  | { kind: 'wrap'; encoding: Encoding; pieces: Piece[]; recorded: string };

export const PieceSchema: z.ZodType<Piece> = z.lazy(() =>
  z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('text'), text: z.string() }),
    z.object({ kind: z.literal('handoff'), handoff: z.string(), ...recorded }),
    z.object({ kind: z.literal('data'), table: z.string(), column: z.string(), ...recorded }),
    z.object({ kind: z.literal('made'), made: z.string(), ...recorded }),
    z.object({ kind: z.literal('variable'), name: z.string(), ...recorded }),
    z.object({ kind: z.literal('file'), hash: z.string(), start: z.number().int(), end: z.number().int(), ...recorded }),
    z.object({ kind: z.literal('wrap'), encoding: EncodingSchema, pieces: z.array(PieceSchema), ...recorded }),
  ]),
);

/** A text with moving parts. */
export const TemplateSchema = z.array(PieceSchema);
export type Template = Piece[];

/**
 * What every extractor may add: `unwrap` takes a wrapping off the found text as a whole (`target` leaves path and query of an address),
 * `within` cuts it between two boundaries (an empty right one takes the rest), `decode` takes a wrapping off what was cut, `beside` keeps only matches whose row, list item or object also holds this text.
 */
const refining = {
  unwrap: z.union([EncodingSchema, z.literal('target')]).optional(),
  within: z.object({ left: z.string(), right: z.string() }).optional(),
  decode: z.array(EncodingSchema).optional(),
  beside: TemplateSchema.optional(),
};
const nth = z.number().int().nonnegative();
/** Which of several matches: the first, the last, any one. */
const pick = z.enum(['first', 'last', 'any']);

/** How to read a value from a response. */
export const ExtractorSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('header'), name: z.string(), ...refining }),
  z.object({ kind: z.literal('cookie'), name: z.string(), ...refining }),
  z.object({ kind: z.literal('field'), name: z.string(), nth, ...refining }),
  z.object({
    kind: z.literal('attribute'),
    element: z.string(),
    /** Attribute and value that pick the element, such as `id` and `record`; null picks by position. */
    by: z.object({ name: z.string(), value: z.string() }).nullable(),
    attribute: z.string(),
    nth,
    /** Replaces `nth` where any match, or the last, is wanted. */
    pick: pick.optional(),
    ...refining,
  }),
  z.object({ kind: z.literal('jsonpath'), path: z.string(), pick, ...refining }),
  z.object({ kind: z.literal('xml'), path: z.string(), nth, ...refining }),
  z.object({ kind: z.literal('between'), left: z.string(), right: z.string(), nth, pick: pick.optional(), ...refining }),
  /** The first group of the expression, or the whole match; ECMAScript syntax, searched in the body. */
  z.object({ kind: z.literal('regex'), pattern: z.string(), nth, pick: pick.optional(), ...refining }),
]);
export type Extractor = z.infer<typeof ExtractorSchema>;

export const EvidenceSchema = z.enum(['proven', 'likely', 'unsure']);
export type Evidence = z.infer<typeof EvidenceSchema>;

/** A value that the server gave in one response (its origin) and that the client gave back later (its uses). */
export const HandoffSchema = z.object({
  id: z.string(),
  name: z.string(),
  /** Step whose response gives the value. */
  origin: z.string(),
  extractor: ExtractorSchema,
  evidence: EvidenceSchema,
  /** One sentence that names the evidence. */
  reason: z.string(),
  recorded: z.string(),
  /** Which answer of a step that follows redirects gives it, from 0; absent for the last one. */
  hop: z.number().int().nonnegative().optional(),
  /** Further responses that give a new value in the same way: the latest one read is sent (a rotating value). */
  also: z.array(z.object({ step: z.string(), hop: z.number().int().nonnegative().optional() })).optional(),
});
export type Handoff = z.infer<typeof HandoffSchema>;

/**
 * A value that the client invents. Those that are drawn at random stay the same within one iteration; a `counter` goes up by one
 * with each use, from what was recorded. `random-digits` and `random-text` keep the length recorded,
 * `unique-text` is what was recorded with a few signs added, and `verifier` is a code
 * verifier of RFC 7636, 4.1.
 */
export const MadeSchema = z.object({
  id: z.string(),
  name: z.string(),
  made: z.enum([
    'epoch-ms',
    'epoch-s',
    'epoch-us',
    'epoch-fraction',
    'ticks',
    'iso-time',
    'http-date',
    'guid',
    'container-number',
    'counter',
    'random-digits',
    'random-text',
    'unique-text',
    'verifier',
  ]),
  recorded: z.string(),
  reason: z.string(),
});
export type Made = z.infer<typeof MadeSchema>;

/** A sent value that may need a handoff; the tester decides. */
export const UnsureValueSchema = z.object({
  step: z.string(),
  place: z.string(),
  value: z.string(),
  origin: z.string().nullable(),
  extractor: ExtractorSchema.nullable(),
  reason: z.string(),
});
export type UnsureValue = z.infer<typeof UnsureValueSchema>;

/** What a good answer looks like; it catches failures that come with a successful status. */
export const ExpectationSchema = z.object({
  statuses: z.array(z.number().int()),
  /** Kind of content, such as `html` or `json`; null where the take had none. */
  content: z.enum(['html', 'json', 'xml', 'form', 'multipart', 'script', 'text', 'binary']).nullable(),
  /** Path shape of the redirect target. */
  redirect: z.string().nullable(),
  /** Further places that a redirect may lead to, as path shapes: the tester accepted them. */
  otherRedirects: z.array(z.string()).optional(),
  /** Shape of the page's title. */
  title: z.string().nullable(),
  /** Name of the root element of an XML answer. */
  rootElement: z.string().nullable(),
  /** Differences from the take that the tester looked at and takes as harmless in this step. */
  harmless: z.array(z.enum(['structure', 'alerts', 'sign-in'])).optional(),
});
export type Expectation = z.infer<typeof ExpectationSchema>;

export const RequestStepSchema = z.object({
  kind: z.literal('request'),
  id: z.string(),
  name: z.string(),
  /** Number of the exchange in the take; null for a step made by hand. */
  exchange: z.number().int().nullable(),
  /** Exchanges of the redirects that this step follows, in order; the last one's response is the step's answer. */
  hops: z.array(z.number().int()).optional(),
  method: z.string(),
  /** Recorded origin, such as `http://127.0.0.1:4701`; the environment maps it. */
  origin: z.string(),
  /** Path and query. */
  url: TemplateSchema,
  headers: z.array(z.object({ name: z.string(), value: TemplateSchema })),
  body: TemplateSchema.nullable(),
  /** Hash of a stored body that is sent as it is. */
  bodyFile: z.string().nullable(),
  expect: ExpectationSchema,
  followRedirects: z.boolean(),
});
export type RequestStep = z.infer<typeof RequestStepSchema>;

export const PauseStepSchema = z.object({ kind: z.literal('pause'), id: z.string(), ms: z.number().nonnegative() });
export const CommentStepSchema = z.object({ kind: z.literal('comment'), id: z.string(), text: z.string() });

/** Requests that run at the same time; the step ends when the last of them has. */
export const SideBySideStepSchema = z.object({ kind: z.literal('side-by-side'), id: z.string(), steps: z.array(RequestStepSchema) });
export type SideBySideStep = z.infer<typeof SideBySideStepSchema>;

/** Steps that are played again and again, with a pause between two rounds. */
export interface RepeatStep {
  kind: 'repeat';
  id: string;
  name: string;
  times: number;
  pauseMs: number;
  steps: Step[];
}

/** A part of a transaction: a leaf, or a container of steps. */
export type Step = RequestStep | z.infer<typeof PauseStepSchema> | z.infer<typeof CommentStepSchema> | SideBySideStep | RepeatStep;

export const StepSchema: z.ZodType<Step> = z.lazy(() =>
  z.discriminatedUnion('kind', [
    RequestStepSchema,
    PauseStepSchema,
    CommentStepSchema,
    SideBySideStepSchema,
    z.object({
      kind: z.literal('repeat'),
      id: z.string(),
      name: z.string(),
      times: z.number().int().min(1).max(10_000),
      pauseMs: z.number().nonnegative(),
      steps: z.array(StepSchema),
    }),
  ]),
);

export const TransactionSchema = z.object({
  kind: z.literal('transaction'),
  id: z.string(),
  name: z.string(),
  steps: z.array(StepSchema),
});
export type Transaction = z.infer<typeof TransactionSchema>;

/** What one virtual user does. */
export const ScriptSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  takeId: z.string(),
  secondTakeId: z.string().nullable(),
  transactions: z.array(TransactionSchema),
  handoffs: z.array(HandoffSchema),
  made: z.array(MadeSchema),
  unsure: z.array(UnsureValueSchema),
});
export type Script = z.infer<typeof ScriptSchema>;

/** Steps and what their containers hold, in the order of play. */
export function allSteps(steps: readonly Step[]): Step[] {
  return steps.flatMap((step): Step[] => ('steps' in step ? [step, ...allSteps(step.steps)] : [step]));
}

/** Steps with each changed, those in containers too; a container that is left empty goes. `null` takes a step out. */
export function changeSteps(steps: readonly Step[], change: (step: Step) => Step | null): Step[] {
  return steps.flatMap((step): Step[] => {
    const changed = change(step);
    if (!changed || !('steps' in changed)) return changed ? [changed] : [];
    const inner = changeSteps(changed.steps, change);
    if (inner.length === 0) return [];
    if (changed.kind === 'repeat') return [{ ...changed, steps: inner }];
    const requests = inner.filter((one) => one.kind === 'request');
    // One request alone is beside nothing.
    return requests.length === 1 ? requests : [{ ...changed, steps: requests }];
  });
}

/** A script with each request step changed. */
export function changeRequests(script: Script, change: (step: RequestStep) => RequestStep): Script {
  return {
    ...script,
    transactions: script.transactions.map((transaction) => ({
      ...transaction,
      steps: changeSteps(transaction.steps, (step) => (step.kind === 'request' ? change(step) : step)),
    })),
  };
}

/** The exchanges that one step stands for: its own, and the redirects that it follows. */
export const exchangesOf = (step: RequestStep): number[] => (step.exchange === null ? [] : [step.exchange, ...(step.hops ?? [])]);

/** The exchange whose response is the answer of a step; null for a step made by hand. */
export const answerOf = (step: RequestStep): number | null => exchangesOf(step).at(-1) ?? null;

/** Where a response is had on replay: the step, and which of its answers (absent for the last). */
export interface ResponsePlace {
  step: string;
  hop?: number;
}

/** All responses from which a handoff is read, in the order of play. */
export const readPlaces = ({ origin, hop, also }: Handoff): ResponsePlace[] =>
  [{ step: origin, hop }, ...(also ?? [])].map((one) => (one.hop === undefined ? { step: one.step } : { step: one.step, hop: one.hop }));

/** The handoff, read from other responses. */
export function readFrom(handoff: Handoff, first: ResponsePlace, also: ResponsePlace[]): Handoff {
  const kept = { ...handoff };
  delete kept.hop;
  delete kept.also;
  return { ...kept, origin: first.step, ...(first.hop === undefined ? {} : { hop: first.hop }), ...(also.length === 0 ? {} : { also }) };
}

// A script is never changed in place, so where its responses come from stays true.
const placesOfScript = new WeakMap<Script, Map<number, ResponsePlace>>();

/** Where the response of an exchange is had on replay; null where no step asks for it. */
export function placeOfResponse(script: Script, exchange: number): ResponsePlace | null {
  let places = placesOfScript.get(script);
  if (!places) {
    places = new Map();
    for (const { step } of requestSteps(script)) {
      const chain = exchangesOf(step);
      for (const [at, n] of chain.entries())
        if (!places.has(n)) places.set(n, at === chain.length - 1 ? { step: step.id } : { step: step.id, hop: at });
    }
    placesOfScript.set(script, places);
  }
  return places.get(exchange) ?? null;
}

/** All request steps in the order of play, with their number from 1 and their transaction. */
export function requestSteps(script: Script): { step: RequestStep; number: number; transaction: Transaction }[] {
  const found: { step: RequestStep; number: number; transaction: Transaction }[] = [];
  for (const transaction of script.transactions)
    for (const step of allSteps(transaction.steps))
      if (step.kind === 'request') found.push({ step, number: found.length + 1, transaction });
  return found;
}
