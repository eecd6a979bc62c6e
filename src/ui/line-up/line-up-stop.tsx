"use client";

import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { EmptyStop } from "@/ui/gather/empty-stop";
import { LABELS } from "@/ui/labels";
import { keyOptions } from "@/ui/shell/shortcuts";
import { StopHeading } from "@/ui/shell/stop-heading";
import { Choice } from "@/ui/shell/transport";
import { useWorkbench } from "@/ui/shell/workbench";
import { AlignmentSentence } from "./alignment-sentence";
import { AlignmentView } from "./alignment-view";
import { DeliverySentence, DeliveryView } from "./delivery-view";
import { LevelMatchSentence, LevelMatchView } from "./level-match-view";
import { LoudnessSentence, LoudnessView } from "./loudness-view";

const VIEWS = {
  "in time": { title: "Alignment", hint: "Delay, polarity, drift", Sentence: AlignmentSentence, View: AlignmentView },
  "one level": {
    title: LABELS.levelMatch,
    hint: "Level of each render, matched",
    Sentence: LevelMatchSentence,
    View: LevelMatchView,
  },
  delivery: { title: LABELS.delivery, hint: "Loudness targets", Sentence: DeliverySentence, View: DeliveryView },
  "over time": {
    title: LABELS.loudnessOverTime,
    hint: "Here and Yonder over time",
    Sentence: LoudnessSentence,
    View: LoudnessView,
  },
} as const;
type ViewKey = keyof typeof VIEWS;

/** Every render aligned with its dry one, then at one level: what was found, what was done, what remains. */
export function LineUpStop() {
  const { pair } = useWorkbench();
  const [key, setKey] = useState<ViewKey>("in time");
  const keys = Object.keys(VIEWS) as ViewKey[];
  useHotkeys("v", () => setKey(keys[(keys.indexOf(key) + 1) % keys.length]), keyOptions("v"));
  if (!pair) return <EmptyStop stop="line-up" />;
  const { Sentence, View } = VIEWS[key];
  return (
    <section className="flex h-full flex-col gap-2.5 overflow-hidden px-5 pt-3 pb-2.5">
      <StopHeading
        title="Line up"
        actions={
          <Choice
            label="View"
            value={key}
            onChange={setKey}
            options={keys.map((value) => ({
              value,
              title: VIEWS[value].title,
              hint: `${VIEWS[value].hint} (V for the next)`,
            }))}
          />
        }
      >
        <Sentence />
      </StopHeading>
      <View />
    </section>
  );
}
