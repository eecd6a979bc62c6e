"use client";

import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { removeRender, renameCandidate, renamePassage, setDry, setSide, showPassage } from "@/store/comparisons";
import type { Candidate, Passage, Render } from "@/store/records";
import { MiniWaveform } from "@/ui/charts/mini-waveform";
import { decibels, kilohertz, shortClock } from "@/ui/format";
import { EditableText } from "@/ui/shell/editable-text";
import { keyOptions } from "@/ui/shell/shortcuts";
import { useWorkbench } from "@/ui/shell/workbench";
import { InStepState } from "./in-step-state";
import { useKeptBytes } from "./use-kept-bytes";

/** Passages down, candidates across, the dry render first, a render in each cell. */
export function RenderGrid() {
  const { passages, candidates, renders, comparison } = useWorkbench();
  const [chosenId, setChosenId] = useState<string | null>(null);
  const kept = useKeptBytes();
  const chosen = renders.find((r) => r.id === chosenId) ?? null;

  const set = (side: "here" | "yonder") => {
    const passage = passages.find((p) => p.id === chosen?.passageId);
    if (!chosen || !passage) return;
    void setSide(passage, side, chosen.id);
    void showPassage(comparison.id, passage.id);
  };
  useHotkeys("h", () => set("here"), keyOptions("h"));
  useHotkeys("y", () => set("yonder"), keyOptions("y"));

  const isDry = (render: Render) => passages.some((p) => p.dryRenderId === render.id);
  const columns = candidates.filter((c) => renders.some((r) => r.candidateId === c.id && !isDry(r)));
  const cells = (passage: Passage, candidate: Candidate) =>
    renders.filter((r) => r.passageId === passage.id && r.candidateId === candidate.id && !isDry(r));

  return (
    <>
      <div className="min-h-0 overflow-auto rounded-lg border border-rule bg-base-100">
        <table className="w-full table-fixed border-collapse text-left">
          <thead className="sticky top-0 z-10 bg-base-100">
            <tr className="border-rule border-b align-top">
              <th scope="col" className="w-44 px-3 py-2 font-display leading-6 font-semibold text-[13px]">
                Passage
              </th>
              <th scope="col" className="w-52 border-faint border-l px-3 py-2">
                <div className="font-display font-semibold text-[13px] leading-6">Dry</div>
                <div className="font-normal text-[12px] text-soft leading-6">untouched</div>
              </th>
              {columns.map((candidate) => (
                <th key={candidate.id} scope="col" className="w-52 border-faint border-l px-3 py-2">
                  <EditableText
                    label="Candidate name"
                    className="font-display font-semibold text-[13px]"
                    value={candidate.title}
                    onChange={(title) => void renameCandidate(candidate.id, { title, settings: candidate.settings })}
                  />
                  <EditableText
                    label="Candidate settings"
                    className="font-normal text-[12px] text-soft"
                    value={candidate.settings}
                    placeholder="settings"
                    optional
                    onChange={(settings) => void renameCandidate(candidate.id, { title: candidate.title, settings })}
                  />
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {passages.map((passage) => (
              <tr key={passage.id} className="border-faint border-b last:border-b-0 align-top">
                <th scope="row" className="px-3 py-3 text-left">
                  <EditableText
                    label="Passage name"
                    className="font-display font-semibold text-[14px]"
                    value={passage.title}
                    onChange={(title) => void renamePassage(passage.id, title)}
                  />
                  <PassageFacts dry={renders.find((r) => r.id === passage.dryRenderId)} />
                </th>
                <GridCell
                  passage={passage}
                  renders={renders.filter((r) => r.id === passage.dryRenderId)}
                  chosenId={chosenId}
                  onChoose={setChosenId}
                />
                {columns.map((candidate) => (
                  <GridCell
                    key={candidate.id}
                    passage={passage}
                    renders={cells(passage, candidate)}
                    chosenId={chosenId}
                    onChoose={setChosenId}
                  />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="flex h-6 shrink-0 items-center justify-between gap-5">
        <ChosenActions chosen={chosen} set={set} />
        <span className="figure whitespace-nowrap text-[12px] text-soft">{kept}</span>
      </div>
    </>
  );
}

function PassageFacts({ dry }: { dry: Render | undefined }) {
  if (!dry) return null;
  return (
    <div className="figure mt-0.5 flex gap-3 font-normal text-[12px] text-soft">
      <span>{shortClock(dry.frames / dry.sampleRateHz)}</span>
      <span>{kilohertz(dry.sampleRateHz)}</span>
    </div>
  );
}

type CellProps = { passage: Passage; renders: Render[]; chosenId: string | null; onChoose: (id: string) => void };

function GridCell({ passage, renders, chosenId, onChoose }: CellProps) {
  return (
    <td className="border-faint border-l p-0">
      {renders.map((render) => (
        <RenderCell
          key={render.id}
          passage={passage}
          render={render}
          chosen={chosenId === render.id}
          onChoose={onChoose}
        />
      ))}
    </td>
  );
}

function RenderCell(props: { passage: Passage; render: Render; chosen: boolean; onChoose: (id: string) => void }) {
  const { passage, render, chosen, onChoose } = props;
  const { alignments, pair, titleOf } = useWorkbench();
  const current = pair?.passage.id === passage.id;
  const side = !current
    ? null
    : passage.hereRenderId === render.id
      ? "here"
      : passage.yonderRenderId === render.id
        ? "yonder"
        : null;
  const colour = side === "here" ? "var(--here)" : side === "yonder" ? "var(--yonder)" : "var(--soft-ink)";
  return (
    <div
      className={`group relative p-2.5 outline-2 -outline-offset-2 ${chosen ? "bg-base-content/[0.04]" : ""}`}
      style={{
        outlineStyle: side === "yonder" ? "dashed" : "solid",
        outlineColor: side ? colour : "transparent",
        background: side ? `color-mix(in oklab, ${colour} 8%, transparent)` : undefined,
      }}
    >
      <button
        type="button"
        data-render={render.fileName}
        aria-label={`${passage.title}, ${titleOf(render)}`}
        aria-pressed={chosen}
        className="block w-full cursor-pointer text-left"
        onClick={() => onChoose(render.id)}
        onFocus={() => onChoose(render.id)}
      >
        <MiniWaveform overview={render.overview} colour={colour} />
        <span className="figure mt-1 flex justify-between gap-1 whitespace-nowrap text-[11.5px] text-soft">
          <span>{decibels(render.levels.integratedLufs, "LUFS")}</span>
          <span>{decibels(render.levels.truePeakDbtp, "dBTP")}</span>
        </span>
        <InStepState alignment={alignments.get(render.id)} />
      </button>
      {render.remarks.map((remark) => (
        <p key={remark} className="mt-1 text-[11px] text-warning">
          {remark}
        </p>
      ))}
    </div>
  );
}

/** What can be done with the chosen render; before one is chosen, the keys that will do it. */
function ChosenActions({ chosen, set }: { chosen: Render | null; set: (side: "here" | "yonder") => void }) {
  const { passages, titleOf } = useWorkbench();
  const passage = passages.find((p) => p.id === chosen?.passageId);
  if (!chosen || !passage) {
    return <p className="text-[13px] text-soft">Choose a render to make it Here or Yonder.</p>;
  }
  const isDry = passage.dryRenderId === chosen.id;
  return (
    <div className="flex min-w-0 items-center gap-1.5 text-[13px]">
      <span className="mr-1.5 truncate" title={chosen.fileName}>
        {titleOf(chosen)}, {passage.title} <span className="text-soft">({chosen.fileName})</span>
      </span>
      <button type="button" className="btn btn-xs border-2 border-here bg-transparent" onClick={() => set("here")}>
        Here <kbd className="kbd kbd-xs">H</kbd>
      </button>
      <button
        type="button"
        className="btn btn-xs border-2 border-yonder border-dashed bg-transparent"
        onClick={() => set("yonder")}
      >
        Yonder <kbd className="kbd kbd-xs">Y</kbd>
      </button>
      {!isDry && (
        <>
          <button
            type="button"
            className="btn btn-xs border-rule bg-transparent"
            onClick={() => void setDry(passage, chosen.id)}
          >
            Make it the dry one
          </button>
          <button
            type="button"
            className="btn btn-xs border-rule bg-transparent"
            title={`Take ${chosen.fileName} out of this comparison; your own file stays where it is`}
            onClick={() => void removeRender(chosen)}
          >
            Remove
          </button>
        </>
      )}
    </div>
  );
}
