import * as z from 'zod';

/** Parameters in the addresses of operations. */
export const InProject = z.object({ projectId: z.string() });
export const InTake = z.object({ takeId: z.string() });

/** A whole number in an address, no larger than the database counts. */
export const countedNumber = z.coerce.number().int().min(-2_147_483_648).max(2_147_483_647);

/** A parameter that may stand in an address several times, up to fifty. */
export const severalOf = <T extends z.ZodType>(parameter: T) =>
  z.preprocess((given) => (given === undefined ? [] : Array.isArray(given) ? (given as unknown[]) : [given]), z.array(parameter).max(50));
