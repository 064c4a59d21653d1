import type { Reach } from '../environments/reach.js';

/** A project that may reach this machine alone. */
export const onlyHere: Reach = { environment: { name: 'Here', targets: [], clearances: [] } };
