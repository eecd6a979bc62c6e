"use client";

import { useEffect, useMemo, useState } from "react";
import { create } from "zustand";
import { PLAYBACK_SPL_DB } from "@/core/audibility/ear-model";
import type { Ladder } from "@/core/ladder/ladder-schema";
import type { Exception } from "@/core/survey/survey";
import { explainSentence, surveySentence } from "@/core/words/explain";
import type { Region } from "@/store/records";
import { EmptyStop } from "@/ui/gather/empty-stop";
import { LABELS } from "@/ui/labels";
import { StopHeading } from "@/ui/shell/stop-heading";
import { setStrip } from "@/ui/shell/strip";
import { useResults } from "@/ui/shell/use-results";
import { ViewTabs } from "@/ui/shell/view-tabs";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import { CandidatesView } from "./candidates-view";
import { DynamicsView } from "./dynamics-view";
import { LadderPanel } from "./ladder-panel";
import { MomentsPanel } from "./moments-panel";
import { PhaseView } from "./phase-view";
import { ResidualView } from "./residual-view";
import { SpectrumView } from "./spectrum-view";
import { StereoView } from "./stereo-view";
import { useExplainedPair, useHeard, useLadder } from "./use-explained";
import { WaveformsView } from "./waveforms-view";

const NO_EXCEPTIONS: readonly Exception[] = [];

/** What sets the pair apart, by how much, and where to listen. */
export function ExplainStop() {
  const { pair } = useWorkbench();
  const explained = useExplainedPair();
  if (!pair) return <EmptyStop stop="explain" />;
  if (!explained)
    return (
      <section className="grid content-start gap-2 p-5">
        <StopHeading title="Explain">Here and Yonder are the same render. Choose another in the pair bar.</StopHeading>
      </section>
    );
  return <Explained key={explained.pair.passage.id} {...explained} />;
}

const VIEWS = [
  { value: "tone", title: "Spectrum" },
  { value: "phase", title: LABELS.phaseAndDelay },
  { value: "time", title: "Waveforms" },
  { value: "dynamics", title: LABELS.dynamics },
  { value: "stereo", title: LABELS.stereo },
  { value: "residual", title: "Residual" },
  { value: "candidates", title: LABELS.allCandidates },
] as const;

type ViewName = (typeof VIEWS)[number]["value"];

/** Which view is looked at, whatever pair comes and goes meanwhile. */
const useView = create<{ view: ViewName }>(() => ({ view: "tone" }));

/** What is looked at on the right: one view at a time. */
function Views({ pair, region, ladder }: { pair: Pair; region: Region; ladder: Ladder | null }) {
  const view = useView((state) => state.view);
  return (
    <div className="flex min-h-0 min-w-0 flex-col gap-2">
      <div className="flex border-rule border-b">
        <ViewTabs views={VIEWS} shown={view} onShown={(next) => useView.setState({ view: next })} />
      </div>
      {view === "tone" && <SpectrumView pair={pair} region={region} ladder={ladder} />}
      {view === "time" && <WaveformsView pair={pair} region={region} />}
      {view === "dynamics" && <DynamicsView pair={pair} region={region} />}
      {view === "residual" && <ResidualView pair={pair} region={region} ladder={ladder} />}
      {view === "candidates" && <CandidatesView pair={pair} region={region} />}
      {view === "stereo" && <StereoView pair={pair} region={region} />}
      {view === "phase" && <PhaseView pair={pair} region={region} ladder={ladder} />}
    </div>
  );
}

function Explained({ pair, region }: { pair: Pair; region: Region }) {
  const explained = useMemo(() => ({ pair, region }), [pair, region]);
  const ladder = useLadder(explained);
  const [playbackSplDb, setPlayback] = useState(PLAYBACK_SPL_DB);
  const { match } = useResults();
  const apart = match
    ? (match.renders.get(pair.here.id)?.gainDb ?? 0) - (match.renders.get(pair.yonder.id)?.gainDb ?? 0)
    : null;
  const heard = useHeard(explained, apart, playbackSplDb);
  const strip = heard.data;
  useEffect(() => {
    setStrip(
      strip && {
        startSeconds: region.startFrame / pair.dry.sampleRateHz,
        stepSeconds: strip.stepSeconds,
        probability: strip.probability,
      },
    );
    return () => setStrip(null);
  }, [strip, region.startFrame, pair.dry.sampleRateHz]);
  return (
    <section className="grid h-full min-h-0 grid-cols-[minmax(22rem,27rem)_minmax(0,1fr)] gap-x-8 px-5 py-3 max-[1180px]:grid-cols-[21rem_minmax(0,1fr)] max-[1180px]:gap-x-5">
      <div className="flex min-h-0 flex-col gap-2 overflow-auto pr-1">
        <div>
          <h1 className="font-semibold text-[22px]">Explain</h1>
          <p className="text-soft" data-testid="explain-sentence">
            {ladder.problem ?? sentenceFor(ladder.data)}
          </p>
        </div>
        <LadderPanel explained={explained} ladder={ladder.data} />
        <MomentsPanel
          pair={pair}
          heard={heard.data}
          exceptions={ladder.data?.exceptions ?? NO_EXCEPTIONS}
          problem={heard.problem}
          playbackSplDb={playbackSplDb}
          onPlayback={setPlayback}
        />
      </div>
      <Views pair={pair} region={region} ladder={ladder.data} />
    </section>
  );
}

function sentenceFor(ladder: Ladder | null): string {
  if (!ladder) return "Comparing every sample…";
  return ladder.isPartial ? surveySentence(ladder) : explainSentence(ladder);
}
