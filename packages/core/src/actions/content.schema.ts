import * as z from 'zod';

/** Kinds of content of an answer. */
export const ContentSchema = z.enum(['html', 'json', 'xml', 'form', 'multipart', 'script', 'text', 'binary']);

/** Differences from the take that a tester may take as harmless in a step. */
export const HarmlessSchema = z.array(z.enum(['structure', 'alerts', 'sign-in']));
export type Harmless = z.infer<typeof HarmlessSchema>;
