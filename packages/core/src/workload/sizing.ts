/** Virtual users for a rate: N = ceil(R × P / 3600) after Little's law (Little 1961); rate an hour, pacing in seconds. */
export const usersForRate = (ratePerHour: number, pacingSeconds: number): number => Math.ceil((ratePerHour * pacingSeconds) / 3600);

/** Start-to-start pacing in seconds for a rate with given users: P = 3600 × N / R. */
export const pacingForRate = (ratePerHour: number, users: number): number => (3600 * users) / ratePerHour;
