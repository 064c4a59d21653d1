/**
 * Program for a world of its own in every document of a browser that is recorded: tells what a person does to a function `sturdyTold`, which takes texts
 * of JSON (`PageNews` of the core).
 */
export declare const recorderCode: string;
/** An expression: a function that takes an aim and gives what its ways find in this document (`Sighting` of `src/sighting.ts`). */
export declare const finderCode: string;
/** An expression: a function that gives aims at all elements with an attribute, by what it says. */
export declare const aimsCode: string;
