import type { Checked } from "./checks";
import type { RunMatch } from "./run";

const spread = (values: readonly number[]): number => Math.max(...values) - Math.min(...values);

/**
 * How stimuli were brought to one level, for the record of a run: in pairs what Yonder had over Here, else how far the loudest was over the
 * quietest; before the match, and after it, as measured where the run is heard.
 */
export function runMatchOf(
  { over, method }: Pick<RunMatch, "over" | "method">,
  gainsDb: readonly number[],
  levels: readonly Checked["level"][],
): RunMatch {
  const told = levels.flatMap((l) => (l ? [l.value] : []));
  const apart = (values: readonly number[]) => (values.length === 2 ? values[1] - values[0] : spread(values));
  return {
    over,
    method,
    // What had to come down by so much was louder by it.
    edgeLu: gainsDb.length === 2 ? gainsDb[0] - gainsDb[1] : spread(gainsDb),
    remainingLu: told.length < Math.max(2, levels.length) ? null : apart(told),
  };
}
