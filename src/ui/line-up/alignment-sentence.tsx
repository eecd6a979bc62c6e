import { alignmentSummary } from "@/core/words/alignment";
import { plural } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { useAlignments } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";

/** How the passage's renders lie, in one sentence. */
export function AlignmentSentence() {
  const { pair } = useWorkbench();
  const { alignments, foundAlignments } = useAlignments(pair);
  if (!pair) return null;
  const others = pair.renders.filter((r) => r.id !== pair.dry.id);
  const known = others.flatMap((r) => alignments.get(r.id) ?? []);
  if (known.length < others.length) {
    return (
      <>
        {LABELS.aligning} {plural(others.length, "render")}: {known.length} done.
      </>
    );
  }
  const lost = known.filter((a) => !a.found).length;
  const doubtful = known.filter((a) => a.found && a.doubts.length > 0).length;
  const moved = known.filter((a) => a.found && (a.delaySamples !== 0 || a.driftPpm)).length;
  const byHand = others.filter((r) => alignments.get(r.id) !== foundAlignments.get(r.id)).length;
  return <>{alignmentSummary(others.length, moved, lost, doubtful, byHand)}</>;
}
