import * as z from 'zod';

/** Runs that one question may ask, at the most. */
export const mostAsked = 6;
/** Rows of an answer, at the most. */
export const mostAnswerRows = 10_000;

/** A question in SQL over what some runs measured. */
export const QuestionSchema = z.object({
  runs: z.array(z.string()).min(1, 'Choose a run.').max(mostAsked, `Choose ${mostAsked} runs at the most.`),
  sql: z.string().trim().min(1, 'Write a question first.').max(20_000, 'A question has at most 20,000 signs.'),
  /** It is given up after so many seconds. */
  limitSeconds: z.number().int().min(1).max(60).default(20),
});
export type Question = z.infer<typeof QuestionSchema>;

const AnswerCellSchema = z.union([z.string(), z.number(), z.boolean(), z.null()]);

/** An answer as a table. Numbers that are larger than a number holds exactly come as text. */
export const QuestionAnswerSchema = z.object({
  columns: z.array(z.object({ name: z.string(), type: z.string() })),
  rows: z.array(z.array(AnswerCellSchema)),
  /** True where there would be more rows than are given. */
  isCut: z.boolean(),
  /** How long the question itself took. */
  ms: z.number(),
});
export type QuestionAnswer = z.infer<typeof QuestionAnswerSchema>;

/** A question that is kept with the project. */
export const SavedQuestionSchema = z.object({
  id: z.string(),
  name: z.string().trim().min(1, 'Give the question a name.').max(80),
  sql: z.string().max(20_000),
});
export type SavedQuestion = z.infer<typeof SavedQuestionSchema>;
