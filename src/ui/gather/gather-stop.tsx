"use client";

import { ArrowUpDown, Check, Columns3, Eye, FileAudio, Plus, SlidersHorizontal } from "lucide-react";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { gridTotals } from "@/core/matching/totals";
import { plural } from "@/core/words/units";
import { changeCandidate, reorder } from "@/store/comparisons";
import type { Candidate } from "@/store/records";
import { openGuide } from "@/ui/guide/guide";
import { LABELS } from "@/ui/labels";
import { keyOptions } from "@/ui/shell/shortcuts";
import { StopHeading } from "@/ui/shell/stop-heading";
import { useWorkbench } from "@/ui/shell/workbench";
import { ExportButton } from "./export-dialog";
import { FolderButton, FolderStrip } from "./folder-strip";
import { useImport } from "./import-provider";
import { ParityDialog } from "./parity-dialog";
import { ProcessorDialog } from "./processor-dialog";
import { RenderGrid } from "./render-grid";

const ACTION = "btn btn-sm border-rule bg-base-100";

export function GatherStop() {
  const { passages, candidates, renders } = useWorkbench();
  const { chooseFiles } = useImport();
  const [dialog, setDialog] = useState<"processor" | "parity" | null>(null);
  const free = () => !document.querySelector("dialog[open]");
  useHotkeys("a", chooseFiles, { ...keyOptions("a"), enabled: free });
  useHotkeys("p", () => setDialog("processor"), { ...keyOptions("p"), enabled: free, preventDefault: true });
  useHotkeys("q", () => setDialog("parity"), { ...keyOptions("q"), enabled: free, preventDefault: true });
  if (renders.length === 0) return <EmptyGather onChoose={chooseFiles} candidates={candidates} />;
  const dryIds = new Set(passages.map((p) => p.dryRenderId));
  const shown = candidates.filter((c) => !c.hidden && renders.some((r) => r.candidateId === c.id && !dryIds.has(r.id)));
  const hidden = candidates.filter((c) => c.hidden);
  return (
    <section className="flex h-full flex-col gap-3 px-5 py-3.5">
      <StopHeading
        title={LABELS.gather}
        actions={
          <div className="flex items-center gap-2">
            {hidden.length > 0 && <HiddenButton hidden={hidden} />}
            <SortButton />
            <FolderButton className={ACTION} />
            <button type="button" className={ACTION} onClick={() => setDialog("parity")}>
              <Columns3 size={15} aria-hidden="true" /> Compare settings <kbd className="kbd kbd-xs">Q</kbd>
            </button>
            <ExportButton renders={renders} className={ACTION} />
            <button type="button" className={ACTION} onClick={() => setDialog("processor")}>
              <SlidersHorizontal size={15} aria-hidden="true" /> Run a processor <kbd className="kbd kbd-xs">P</kbd>
            </button>
            <button type="button" className={ACTION} onClick={chooseFiles}>
              <Plus size={15} aria-hidden="true" /> {LABELS.addFiles} <kbd className="kbd kbd-xs">A</kbd>
            </button>
          </div>
        }
      >
        {plural(passages.length, "passage")} by {plural(shown.length, "candidate")}. Drop renders anywhere.
      </StopHeading>
      <FolderStrip />
      <RenderGrid />
      {dialog === "processor" && <ProcessorDialog onClose={() => setDialog(null)} />}
      {dialog === "parity" && <ParityDialog onClose={() => setDialog(null)} />}
    </section>
  );
}

/** Hidden candidates and the way to show them again. */
function HiddenButton({ hidden }: { hidden: Candidate[] }) {
  return (
    <button
      type="button"
      className={ACTION}
      title={hidden.map((c) => c.title).join(", ")}
      onClick={() => void Promise.all(hidden.map((c) => changeCandidate(c.id, { hidden: false })))}
    >
      <Eye size={15} aria-hidden="true" /> {LABELS.show} {hidden.length} hidden
    </button>
  );
}

const ORDERS = {
  name: "Candidates by name",
  kind: "Candidates by kind",
  edge: "Loudest vs dry first",
  peak: "Highest true peak first",
  passages: "Passages by name",
} as const;
type Order = keyof typeof ORDERS;

/** Puts the columns or rows in an order once; they can be dragged from there. */
function SortButton() {
  const { passages, candidates, renders } = useWorkbench();
  const sort = (order: Order) => {
    const byName = <T extends { title: string }>(items: T[]) =>
      items.toSorted((a, b) => a.title.localeCompare(b.title, undefined, { numeric: true }));
    if (order === "passages")
      return reorder(
        "passages",
        byName(passages).map((p) => p.id),
      );
    const totals = gridTotals(passages, renders).candidates;
    const falling = (value: (c: Candidate) => number | null | undefined) =>
      candidates.toSorted((a, b) => (value(b) ?? -1e9) - (value(a) ?? -1e9));
    const sorted = {
      name: () => byName(candidates),
      kind: () => byName(candidates).toSorted((a, b) => a.kind.localeCompare(b.kind)),
      edge: () => falling((c) => totals.get(c.id)?.meanLevelOffsetLu),
      peak: () => falling((c) => totals.get(c.id)?.truePeakDbtp),
    }[order]();
    return reorder(
      "candidates",
      sorted.map((c) => c.id),
    );
  };
  return (
    <label className={`${ACTION} relative`}>
      <ArrowUpDown size={15} aria-hidden="true" /> Sort
      <select
        aria-label={LABELS.sortTheGrid}
        className="absolute inset-0 cursor-pointer opacity-0"
        value=""
        onChange={(event) => void sort(event.target.value as Order)}
      >
        <option value="" disabled>
          Sort
        </option>
        {Object.entries(ORDERS).map(([order, title]) => (
          <option key={order} value={order}>
            {title}
          </option>
        ))}
      </select>
    </label>
  );
}

/** What waits for a passage, where there are candidates without one. */
function waitingWords(candidates: readonly Candidate[]): string {
  const own = candidates.filter(({ chain }) => chain).length;
  const others = candidates.length - own;
  const parts = [
    own > 0 && `${plural(own, "built-in candidate")} ${own === 1 ? "renders" : "render"} it automatically`,
    others > 0 &&
      `${plural(others, "candidate")} from outside ${others === 1 ? "needs" : "need"} renders under the same names`,
  ].filter(Boolean);
  return `Drop the dry passage: ${parts.join("; ")}.`;
}

function EmptyGather({ onChoose, candidates }: { onChoose: () => void; candidates: readonly Candidate[] }) {
  return (
    <section className="grid h-full place-content-center justify-items-center gap-3 text-center">
      <FileAudio size={36} strokeWidth={1.25} className="text-soft" aria-hidden="true" />
      <h1 className="font-semibold text-2xl">Drop renders or a folder here.</h1>
      <p className="max-w-lg text-soft">
        WAV, AIFF, CAF, FLAC, WavPack, MP3, AAC, Ogg Vorbis or Opus. Each finds its passage by its sound. Or drop one
        passage and run processors over it here. Everything stays in this browser; nothing is uploaded.
      </p>
      {candidates.length > 0 && <p className="max-w-lg font-medium">{waitingWords(candidates)}</p>}
      <div className="flex gap-2">
        <button type="button" className="btn btn-primary btn-sm" onClick={onChoose}>
          <Plus size={15} aria-hidden="true" /> Choose files <kbd className="kbd kbd-xs">A</kbd>
        </button>
        <FolderButton className={ACTION} />
      </div>
      <FolderStrip />
      <section className="mt-5 grid max-w-3xl gap-2 border-rule border-t pt-4 text-left text-[13px]">
        <h2 className="font-semibold text-[15px]">{LABELS.preparingRenders}</h2>
        <ul className="grid grid-cols-2 gap-x-8 gap-y-1.5">
          {PREPARING.map((line) => (
            <li key={line} className="flex items-start gap-1.5">
              <Check size={14} className="mt-0.5 shrink-0 text-soft" aria-hidden="true" /> {line}
            </li>
          ))}
        </ul>
        <button
          type="button"
          className="btn btn-sm w-fit border-rule bg-base-100"
          onClick={() => openGuide("02-preparing-renders")}
        >
          {LABELS.whyAndFormats}
        </button>
      </section>
    </section>
  );
}

/** What makes renders easy to compare, in the order that it is done; docs/guide/02-preparing-renders.md says why. */
const PREPARING = [
  "Same start and same length, tails included",
  "One sample rate",
  "Not normalised: levels are matched here",
  "Dither and random modulation off",
  "Latency compensation on",
  "Named by passage and candidate; “dry” for the dry render",
] as const;
