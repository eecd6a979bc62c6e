import { checkRecord, faultOf, recordOf } from "../blind/record";
import type { Archive } from "./archive";

export const ARCHIVE_CHECKS = ["index", "audio", "levels", "runs"] as const;

/** `holds` is null where there is nothing to be checked. */
export type ArchiveCheck = { name: (typeof ARCHIVE_CHECKS)[number]; holds: boolean | null; said: string };

/** The outcome of a check on several things: what was found against them, or that there is nothing. */
export function checkOf(
  name: ArchiveCheck["name"],
  count: number,
  faults: readonly string[],
  holding: string,
): ArchiveCheck {
  if (count === 0) return { name, holds: null, said: "No runs." };
  return { name, holds: faults.length === 0, said: faults.length === 0 ? holding : faults.join(" ") };
}

/** Whether the finished runs of an archive hold, each with nothing but itself: seal, order, answers, times, result. */
export async function checkRuns({ runs }: Pick<Archive, "runs">): Promise<ArchiveCheck> {
  const over = runs.filter((run) => run.finishedAt && run.opened);
  const faults: string[] = [];
  for (const run of over) {
    const fault = faultOf(await checkRecord(await recordOf(run)));
    if (fault) faults.push(`The run on ${run.passageTitle} of ${run.createdAt}: ${fault}`);
  }
  const open = runs.length - over.length;
  const waiting = open > 0 ? ` ${open} more ${open === 1 ? "is" : "are"} still sealed.` : "";
  return checkOf(
    "runs",
    over.length,
    faults,
    `${over.length} of ${over.length} verify against their sealed order.${waiting}`,
  );
}
