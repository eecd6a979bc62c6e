import { plural } from "@/ui/format";
import { useAlignments } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";

/** How the passage's renders lie, in one sentence. */
export function InTimeSentence() {
  const { pair } = useWorkbench();
  const { alignments, foundAlignments } = useAlignments(pair);
  if (!pair) return null;
  const others = pair.renders.filter((r) => r.id !== pair.dry.id);
  const known = others.flatMap((r) => alignments.get(r.id) ?? []);
  if (known.length < others.length) {
    return (
      <>
        Lining up {plural(others.length, "render")}: {known.length} done.
      </>
    );
  }
  const lost = known.filter((a) => !a.found).length;
  const doubtful = known.filter((a) => a.found && a.doubt !== null).length;
  const moved = known.filter((a) => a.found && (a.delaySamples !== 0 || a.driftPpm)).length;
  const byHand = others.filter((r) => alignments.get(r.id) !== foundAlignments.get(r.id)).length;
  const parts = [
    moved === 0
      ? "all came in time"
      : `${plural(moved, "render")} of ${others.length} came late, early or on another clock`,
    lost > 0 && `${lost} could not be put in step`,
    doubtful > 0 && `${doubtful} in doubt`,
    byHand > 0 && `${byHand} set by hand`,
  ].filter(Boolean);
  const words = parts.join(", ");
  return <>{`${words[0].toUpperCase()}${words.slice(1)}.`}</>;
}
