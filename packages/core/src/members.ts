/** Members of an object that JSON or YAML holds, none of them checked. */
export type Members = Readonly<Record<string, unknown>>;

/** True for an object with members, such as JSON and YAML hold; an array is none. */
export const isMembers = (value: unknown): value is Members => typeof value === 'object' && value !== null && !Array.isArray(value);
