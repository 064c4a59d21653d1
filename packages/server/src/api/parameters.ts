import * as z from 'zod';

/** Parameters in the addresses of operations. */
export const InProject = z.object({ projectId: z.string() });
export const InTake = z.object({ takeId: z.string() });
