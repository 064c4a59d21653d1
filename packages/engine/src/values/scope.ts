/** What templates are filled from: the moving values of one virtual user in one iteration. */
export interface Scope {
  handoffs: Map<string, string>;
  /** Rows by table, each column by name. */
  rows: Map<string, ReadonlyMap<string, string>>;
  /** Client-made values that stay the same within an iteration. */
  made: Map<string, string>;
  /** Variables of the user: those that steps set, before those of the environment. */
  variables: Map<string, string>;
  /** Repeats from run to run: which match is picked, how long a pause is. */
  random: () => number;
  /** Differs from run to run: ids and numbers that the client invents. */
  fresh: () => number;
  nowMs: () => number;
}
