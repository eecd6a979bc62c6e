"use client";

import { Volume2 } from "lucide-react";
import { useHotkeys } from "react-hotkeys-hook";
import { setMatchOver, setSide } from "@/store/comparisons";
import type { Render } from "@/store/records";
import { decibels, number, signed, withUnit } from "@/ui/format";
import { InStepState } from "@/ui/gather/in-step-state";
import { hear, useMonitor } from "@/ui/shell/monitor";
import { StopHeading } from "@/ui/shell/stop-heading";
import { Choice } from "@/ui/shell/transport";
import { useWorkbench } from "@/ui/shell/workbench";

/** Every render of the passage at one playhead: choose two, switch between them, hear what differs. */
export function ListenStop() {
  const workbench = useWorkbench();
  const { pair, comparison, titleOf } = workbench;
  const mark = pair?.passage.loop?.startFrame ?? 0;
  const hearAsYonder = (render: Render) => {
    if (!pair) return;
    if (render.id === pair.here.id) hear("here", mark);
    else {
      if (render.id !== pair.yonder.id) void setSide(pair.passage, "yonder", render.id);
      hear("yonder", mark);
    }
  };
  useHotkeys("1,2,3,4,5,6,7,8,9", (event) => {
    const render = pair && inOrder(pair.renders, pair.dry)[Number(event.key) - 1];
    if (render) hearAsYonder(render);
  });
  if (!pair)
    return <p className="p-5 text-soft">Nothing to hear yet. Go to Gather and add two renders of the same material.</p>;
  return (
    <section className="flex h-full flex-col gap-3 overflow-auto px-5 py-3.5">
      <StopHeading
        title="Listen"
        actions={
          <div className="flex items-center gap-2 text-[13px] text-soft">
            Match over
            <Choice
              label="Match over"
              value={comparison.matchOver}
              onChange={(value) => void setMatchOver(comparison.id, value)}
              options={[
                { value: "passage", title: "Passage", hint: "Bring the whole passages to one loudness" },
                { value: "loop", title: "Loop", hint: "Bring the marked loop to one loudness" },
              ]}
            />
          </div>
        }
      >
        <HeardSentence />
      </StopHeading>
      <table className="table table-sm rounded-lg border border-rule bg-base-100">
        <thead>
          <tr className="text-soft">
            <th className="w-14">Key</th>
            <th>Render</th>
            <th>Side</th>
            <th className="text-right">As delivered</th>
            <th className="text-right">Edge</th>
            <th className="w-40" aria-label="Edge as a bar" />
            <th className="text-right">Match gain</th>
            <th className="text-right">True peak after</th>
            <th className="w-56">In step</th>
          </tr>
        </thead>
        <tbody>
          {inOrder(pair.renders, pair.dry).map((render, i) => (
            <ListenRow
              key={render.id}
              render={render}
              title={titleOf(render)}
              index={i}
              onHear={() => hearAsYonder(render)}
            />
          ))}
        </tbody>
      </table>
      <MatchSentence />
    </section>
  );
}

const inOrder = (renders: Render[], dry: Render): Render[] => [dry, ...renders.filter((r) => r.id !== dry.id)];

function HeardSentence() {
  const { pair, titleOf } = useWorkbench();
  const { heard, matched } = useMonitor();
  if (!pair) return null;
  const level = matched ? "matched" : "as delivered";
  if (heard === "difference") return <>You hear Yonder minus Here, {level}, with its own boost.</>;
  const side = heard === "here" ? "Here" : "Yonder";
  return (
    <>
      You hear {side}: {titleOf(pair[heard])}, {level}.
    </>
  );
}

function ListenRow(props: { render: Render; title: string; index: number; onHear: () => void }) {
  const { render, title, index, onHear } = props;
  const { pair, alignments, match } = useWorkbench();
  const { heard } = useMonitor();
  if (!pair) return null;
  const side = pair.here.id === render.id ? "here" : pair.yonder.id === render.id ? "yonder" : null;
  const isHeard = side !== null && heard === side;
  const gainDb = match?.gainsDb.get(render.id);
  const edge = edgeOf(gainDb, match?.trimDb);
  return (
    <tr aria-current={isHeard || undefined} className={isHeard ? "bg-base-content/5" : undefined}>
      <td>{index < 9 && <kbd className="kbd kbd-xs">{index + 1}</kbd>}</td>
      <td>
        <button type="button" className="flex cursor-pointer items-center gap-1.5 font-medium" onClick={onHear}>
          {isHeard && <Volume2 size={14} aria-label="heard now" />}
          {title}
          {render.id === pair.dry.id && title !== "Dry" && <span className="text-soft">(dry)</span>}
        </button>
      </td>
      <td>
        {side === "here" && (
          <span className="rounded bg-here px-1.5 py-0.5 font-semibold text-[11px] text-here-ink">Here</span>
        )}
        {side === "yonder" && (
          <span className="rounded bg-yonder px-1.5 py-0.5 font-semibold text-[11px] text-yonder-ink">Yonder</span>
        )}
      </td>
      <td className="figure text-right">{decibels(render.levels.integratedLufs, "LUFS")}</td>
      <td className="figure text-right">{withUnit(signed(edge), match?.method === "rms" ? "dB" : "LU")}</td>
      <td>
        <EdgeBar edge={edge} />
      </td>
      <td className="figure text-right">{withUnit(signed(gainDb, 2), "dB")}</td>
      <td className="figure text-right">
        {render.levels.truePeakDbtp !== null && gainDb !== undefined
          ? decibels(render.levels.truePeakDbtp + gainDb, "dBTP")
          : "–"}
      </td>
      <td>
        <InStepState alignment={alignments.get(render.id)} />
      </td>
    </tr>
  );
}

/** How many LU a render would have been favoured by: what its match takes away again. */
const edgeOf = (gainDb: number | undefined, trimDb: number | undefined): number | null =>
  gainDb === undefined || trimDb === undefined ? null : trimDb - gainDb;

/** LU at which the bar is full. */
const EDGE_FULL_LU = 12;

function EdgeBar({ edge }: { edge: number | null }) {
  if (edge === null) return null;
  const width = `${(Math.min(EDGE_FULL_LU, Math.abs(edge)) / EDGE_FULL_LU) * 50}%`;
  return (
    <div className="relative h-2" aria-hidden="true">
      <span className="absolute inset-y-0 left-1/2 border-soft border-l" />
      <span
        className="absolute inset-y-0 bg-soft/60"
        style={edge < 0 ? { right: "50%", width } : { left: "50%", width }}
      />
    </div>
  );
}

function MatchSentence() {
  const { match, comparison, pair } = useWorkbench();
  if (!match || !pair) return <p className="text-[13px] text-soft">Matching…</p>;
  const over = comparison.matchOver === "loop" && pair.passage.loop ? "the loop" : "the whole passage";
  return (
    <p className="text-[13px] text-soft">
      Matched to the dry render over {over}
      {match.method === "rms" && ", by RMS, because it is too short or too quiet for a loudness"}.{" "}
      {match.trimDb < 0 &&
        `Everything is ${number(-match.trimDb)} dB lower than that, so that no true peak passes −1 dBTP.`}
    </p>
  );
}
