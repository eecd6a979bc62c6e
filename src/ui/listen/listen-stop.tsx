"use client";

import { useState } from "react";
import { differenceSentence, matchWords } from "@/core/words/level";
import { setMatch } from "@/store/comparisons";
import { EmptyStop } from "@/ui/gather/empty-stop";
import { LABELS } from "@/ui/labels";
import { useMonitor } from "@/ui/shell/monitor";
import { renderOfScene } from "@/ui/shell/places";
import { StopHeading } from "@/ui/shell/stop-heading";
import { Choice } from "@/ui/shell/transport";
import { boostInForce } from "@/ui/shell/use-monitor-feed";
import { useMatch, useResults } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";
import { LensPanel } from "./lens-panel";
import { LivePanel } from "./live-panel";
import { MomentsPanel } from "./moments-panel";
import { OutputPanel } from "./output-panel";
import { Pads } from "./pads";
import { SightedPanel } from "./sighted-panel";
import { Switching } from "./switching";

/** Every render of the passage at one playhead: move among them, look through a lens, note what is heard. */
export function ListenStop() {
  const { pair } = useWorkbench();
  const [written, setWritten] = useState<"notes" | "verdict">("notes");
  if (!pair) return <EmptyStop stop="listen" />;
  return (
    <section className="flex h-full flex-col gap-3 overflow-auto px-5 py-3">
      <StopHeading
        title="Listen"
        actions={
          <div className="flex items-center gap-2 text-[13px] text-soft">
            {LABELS.matchOver}
            <Choice
              label={LABELS.matchOver}
              value={pair.passage.match.over}
              onChange={(over) => void setMatch(pair.passage.id, { over })}
              options={[
                { value: "passage", title: LABELS.passage, hint: "Match level over the whole passage" },
                { value: "loop", title: LABELS.loop, hint: "Match level over the marked loop" },
              ]}
            />
          </div>
        }
      >
        <HeardSentence />
      </StopHeading>
      <Pads pair={pair} />
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(22rem,26rem)] gap-x-8 min-[1600px]:grid-cols-[minmax(0,1fr)_minmax(26rem,48rem)] max-[1180px]:grid-cols-[minmax(0,1fr)_19rem] max-[1180px]:gap-x-5">
        <div className="grid content-start gap-3">
          <div className="grid grid-cols-[auto_auto_auto] justify-between gap-x-5 gap-y-3 max-[1180px]:grid-cols-[auto_auto]">
            <Switching pair={pair} />
            <LensPanel />
            <OutputPanel sampleRateHz={pair.dry.sampleRateHz} />
          </div>
          <div className="grid gap-2 border-rule border-t pt-2">
            <Choice
              label={LABELS.notes}
              value={written}
              onChange={setWritten}
              options={[
                { value: "notes", title: LABELS.notes },
                { value: "verdict", title: LABELS.sightedVerdict },
              ]}
            />
            {written === "notes" ? <MomentsPanel pair={pair} /> : <SightedPanel pair={pair} />}
          </div>
        </div>
        <div className="grid min-w-0 grid-cols-1 content-start gap-2">
          <LivePanel sampleRateHz={pair.dry.sampleRateHz} />
          <MatchSentence />
        </div>
      </div>
    </section>
  );
}

function HeardSentence() {
  const results = useResults();
  const { pair, titleOf } = results;
  const monitor = useMonitor();
  const { heard, matched } = monitor;
  if (!pair) return null;
  const level = matched ? "matched" : "original level";
  if (heard === "difference") return <>{differenceSentence(matched, boostInForce(results, monitor))}</>;
  const side = heard === "here" ? "Here: " : heard === "yonder" ? "Yonder: " : "";
  const render = renderOfScene(pair, heard) ?? pair.here;
  return (
    <>
      You hear {side}
      {titleOf(render)}, {level}.
    </>
  );
}

function MatchSentence() {
  const { pair } = useWorkbench();
  const { match } = useMatch(pair);
  return <p className="text-[13px] text-soft">{match && pair ? matchWords(match, pair.passage) : "Matching…"}</p>;
}
