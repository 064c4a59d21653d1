/** Something that the user of the command line can put right; told without a stack, exit status 2. */
export class UsageError extends Error {}
