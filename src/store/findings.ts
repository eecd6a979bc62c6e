import type { Finding } from "@/core/archive/rows";
import { newId, now } from "./comparisons";
import { database } from "./database";

/** What can be written down of a candidate. */
export type FindingChange = Partial<Pick<Finding, "verdict" | "good" | "bad" | "price" | "effort">>;

const NOTHING_SAID = { verdict: null, good: "", bad: "", price: "", effort: "" } satisfies FindingChange;

/** Writes down what a person says of a candidate on a passage, or on the whole where that is null; a finding that says nothing any more goes. */
export function writeFinding(
  where: Pick<Finding, "comparisonId" | "passageId" | "candidateId">,
  change: FindingChange,
): Promise<void> {
  return database.transaction("rw", database.findings, async () => {
    const { comparisonId, passageId, candidateId } = where;
    const own = await database.findings.where({ candidateId }).toArray();
    const known = own.find((f) => f.comparisonId === comparisonId && f.passageId === passageId);
    const finding: Finding = {
      ...NOTHING_SAID,
      ...known,
      ...where,
      ...change,
      id: known?.id ?? newId(),
      updatedAt: now(),
    };
    const isEmpty = !finding.verdict && ["good", "bad", "price", "effort"].every((f) => !finding[f as "good"].trim());
    if (isEmpty) await database.findings.delete(finding.id);
    else await database.findings.put(finding);
  });
}
