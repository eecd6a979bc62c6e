"use client";

import { useEffect, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { hearingResult, hearingSteps, nextPresentation, type Presentation } from "@/core/blind/hearing";
import { hearingSentence } from "@/core/words/blind-hearing";
import { plural } from "@/core/words/units";
import { HearingTone } from "@/playback/hearing-tone";
import { keepHearing } from "@/store/listeners";
import { LABELS } from "@/ui/labels";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { WhatIs } from "@/ui/shell/what-is";

/** From 0 up to 1, from the platform's cryptographic source: what comes next must not be foreseen. */
const drawn = (): number => crypto.getRandomValues(new Uint32Array(1))[0] / 2 ** 32;

type Stage = "before" | "sounding" | "asking" | "over";

/** Finds the highest tone a listener hears on this equipment: quiet, from the top down, with silence in between to catch a yes too many. */
export function HearingCheck(props: { code: string; equipment: string; onClose: () => void }) {
  const { code, equipment, onClose } = props;
  const tone = useRef<HearingTone | null>(null);
  const sounding = useRef<number | null>(null);
  const [history, setHistory] = useState<readonly Presentation[]>([]);
  const [stage, setStage] = useState<Stage>("before");
  useEffect(() => () => tone.current?.close(), []);
  const steps = hearingSteps(tone.current?.sampleRateHz ?? 48_000);

  const present = async (so: readonly Presentation[]) => {
    tone.current ??= new HearingTone();
    const own = hearingSteps(tone.current.sampleRateHz);
    const next = nextPresentation(so, own, drawn());
    if (next.done) {
      setStage("over");
      await keepHearing(code, equipment, hearingResult(so, own));
      return;
    }
    sounding.current = next.hertz;
    setStage("sounding");
    await tone.current.present(next.hertz);
    setStage("asking");
  };
  const answer = (heard: boolean) => {
    if (stage !== "asking") return;
    const so = [...history, { hertz: sounding.current, heard }];
    setHistory(so);
    void present(so);
  };
  useHotkeys("y", () => answer(true), { useKey: true }, [stage, history]);
  useHotkeys("n", () => answer(false), { useKey: true }, [stage, history]);
  return (
    <Modal
      title={LABELS.howHighDoYouHear}
      width={520}
      onClose={onClose}
      actions={(close) => <CloseButton onClick={close}>{stage === "over" ? "Close" : "Leave"}</CloseButton>}
    >
      <div className="grid min-h-52 content-center justify-items-center gap-4 text-center">
        {stage === "before" && (
          <>
            <p className="text-soft">
              Each time three quiet pulses, or silence: say which. Leave the volume at your usual level. The test starts
              above most hearing and takes about 2 min.
            </p>
            <button type="button" className="btn btn-primary" onClick={() => void present([])}>
              Begin
            </button>
          </>
        )}
        {(stage === "sounding" || stage === "asking") && (
          <>
            <p className="text-lg" role="status">
              {stage === "sounding" ? "Listen…" : "Did you hear it?"}
            </p>
            <div className="flex gap-3">
              <button type="button" className="btn" disabled={stage !== "asking"} onClick={() => answer(true)}>
                I heard it <kbd className="kbd kbd-xs">Y</kbd>
              </button>
              <button type="button" className="btn" disabled={stage !== "asking"} onClick={() => answer(false)}>
                Nothing <kbd className="kbd kbd-xs">N</kbd>
              </button>
            </div>
            <p className="figure text-[12px] text-soft">{plural(history.length, "answer")} so far</p>
          </>
        )}
        {stage === "over" && (
          <>
            <p className="text-lg">{hearingSentence(hearingResult(history, steps))}</p>
            <p className="text-[13px] text-soft">
              <WhatIs figure="audibleRange">What is this?</WhatIs>
            </p>
          </>
        )}
      </div>
    </Modal>
  );
}
