import * as z from 'zod';

const text = z.string().max(10_000);
const short = z.string().max(500);

/**
 * One way to find an element, and how many elements of the page it found when the gesture was recorded. `near` is the thing of that name whose row says the
 * text first, or before which the text stands; a name that is empty is any. `path` leads through CSS selectors that name no generated class or id.
 */
export const WaySchema = z.intersection(
  z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('role'), role: short, name: short }),
    z.object({ kind: z.literal('label'), text: short }),
    z.object({ kind: z.literal('text'), tag: short, text: short }),
    z.object({ kind: z.literal('test-id'), attribute: short, value: short }),
    z.object({ kind: z.literal('attribute'), tag: short, attribute: short, value: short }),
    z.object({ kind: z.literal('near'), tag: short, name: short, text: short }),
    z.object({ kind: z.literal('path'), css: text }),
  ]),
  z.object({ found: z.number().int().nonnegative() }),
);
export type Way = z.infer<typeof WaySchema>;
export type WayKind = Way['kind'];

/** How a gesture finds what it acts on: several ways, best first. */
export const AimSchema = z.object({
  /** What it is in words, such as `button “Allocate bay”`. */
  words: short,
  ways: z.array(WaySchema).max(20),
});
export type Aim = z.infer<typeof AimSchema>;

/** An option of a list by its value and by what it says. */
export const ChosenOptionSchema = z.object({ value: text, label: short });

/** What a person did. */
export const ActSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('go-to'), address: text }),
  z.object({ kind: z.literal('go-back') }),
  z.object({ kind: z.literal('click') }),
  z.object({ kind: z.literal('double-click') }),
  /**
   * `isSecret`: what was typed was masked in the page, `text` is empty. `field` is the name that the field is sent by; empty where it has none. `isLeft`: the
   * field had lost the focus before the next act; a list of proposals that hangs on it stays open where it had not.
   */
  z.object({ kind: z.literal('type'), text, isSecret: z.boolean(), field: short, isLeft: z.boolean().default(true) }),
  /** `isFree`: other options could have been chosen as well. */
  z.object({ kind: z.literal('choose'), options: z.array(ChosenOptionSchema), isFree: z.boolean() }),
  z.object({ kind: z.literal('tick'), isOn: z.boolean() }),
  /** A key by the names of the UI Events specification, with modifiers before it: `Enter`, `Control+s`. */
  z.object({ kind: z.literal('press'), key: short }),
  z.object({ kind: z.literal('upload'), files: z.array(short) }),
  /** A dialog of the browser was answered: with yes or no, and with a text where it asked for one. */
  z.object({ kind: z.literal('answer'), isYes: z.boolean(), text }),
]);
export type Act = z.infer<typeof ActSchema>;
export type ActKind = Act['kind'];

/** One act of a person in a browser. */
export const GestureSchema = z.object({
  n: z.number().int().positive(),
  /** ms since the start of the take: when the act was begun, and when it was done, which differ where something was typed. */
  atMs: z.number(),
  untilMs: z.number(),
  /** Tabs count from 1 in the order in which they were opened. */
  tab: z.number().int().positive(),
  /** Frames from the page down to that of the element, each by its name and the path of its address; empty for the page itself. */
  frames: z.array(z.object({ name: short, path: text })).default([]),
  act: ActSchema,
  /** Null where the act is not on an element. */
  aim: AimSchema.nullable(),
});
export type Gesture = z.infer<typeof GestureSchema>;

/**
 * What a document of the clean browser tells: an act with its aim, a key that marks the recording, or what a button or link says that was clicked. Times are of
 * `Date.now()`.
 */
export const PageNewsSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('act'), act: ActSchema, aim: AimSchema, at: z.number(), until: z.number() }),
  z.object({ kind: z.literal('shortcut'), key: z.enum(['begin', 'end', 'pause']) }),
  z.object({ kind: z.literal('clicked'), text: z.string() }),
]);
export type PageNews = z.infer<typeof PageNewsSchema>;
