"use client";

import { Volume2 } from "lucide-react";
import { useHotkeys } from "react-hotkeys-hook";
import { METHOD_UNITS } from "@/core/matching/match-passage";
import { setMatch, setSide } from "@/store/comparisons";
import type { Render } from "@/store/records";
import { EdgeBar } from "@/ui/charts/edge-bar";
import { decibels, signed, withUnit } from "@/ui/format";
import { InStepState } from "@/ui/gather/in-step-state";
import { matchWords } from "@/ui/shell/match-words";
import { hear, useMonitor } from "@/ui/shell/monitor";
import { StopHeading } from "@/ui/shell/stop-heading";
import { Choice } from "@/ui/shell/transport";
import { useAlignment, useMatch } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";

/** Every render of the passage at one playhead: choose two, switch between them, hear what differs. */
export function ListenStop() {
  const workbench = useWorkbench();
  const { pair, titleOf } = workbench;
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
              value={pair.passage.match.over}
              onChange={(over) => void setMatch(pair.passage, { over })}
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
  const { pair } = useWorkbench();
  const { match } = useMatch(pair);
  const alignment = useAlignment(render, pair?.dry);
  const { heard } = useMonitor();
  if (!pair) return null;
  const side = pair.here.id === render.id ? "here" : pair.yonder.id === render.id ? "yonder" : null;
  const isHeard = side !== null && heard === side;
  const { gainDb, edge } = match?.renders.get(render.id) ?? {};
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
      <td className="figure text-right">
        {withUnit(signed(edge), match ? METHOD_UNITS[match.method].difference : "LU")}
      </td>
      <td>
        <EdgeBar edge={edge ?? null} />
      </td>
      <td className="figure text-right">{withUnit(signed(gainDb, 2), "dB")}</td>
      <td className="figure text-right">
        {render.levels.truePeakDbtp !== null && gainDb !== undefined
          ? decibels(render.levels.truePeakDbtp + gainDb, "dBTP")
          : "–"}
      </td>
      <td>
        <InStepState alignment={alignment} />
      </td>
    </tr>
  );
}

function MatchSentence() {
  const { pair } = useWorkbench();
  const { match } = useMatch(pair);
  return <p className="text-[13px] text-soft">{match && pair ? matchWords(match, pair.passage) : "Matching…"}</p>;
}
