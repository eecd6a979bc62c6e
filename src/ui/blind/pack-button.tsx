"use client";

import { Package } from "lucide-react";
import { useState } from "react";
import { isRightOrWrong } from "@/core/blind/plan";
import { megabytes } from "@/core/words/units";
import { MOST_PACK_BYTES, packBytes, sendPack } from "@/store/packs";
import type { Render } from "@/store/records";
import type { RunDraft } from "@/store/runs";
import { differenceAbove } from "@/store/stimuli";
import { LABELS } from "@/ui/labels";
import { download } from "@/ui/shell/download";
import { JobCancelled } from "@/workers/jobs";

/** Makes a listening pack of the run as it is planned, for others to take. */
export function PackButton(props: { may: boolean; dry: Render; title: string; draftOf: () => RunDraft | null }) {
  const { may, dry, title, draftOf } = props;
  const [state, setState] = useState<"idle" | "making" | { problem: string } | { made: string }>("idle");
  const make = async () => {
    const draft = draftOf();
    if (!draft) return;
    const bytes = packBytes(draft, dry.channelCount);
    if (bytes > MOST_PACK_BYTES)
      return setState({ problem: `The pack would be ${megabytes(bytes)}. Choose a loop of a few seconds.` });
    setState("making");
    try {
      const above = isRightOrWrong(draft.plan) ? await differenceAbove(draft.stimuli, dry, draft.region) : null;
      const { name, blob } = await sendPack({ ...draft, above }, dry, title);
      download(name, blob);
      setState({ made: `${name} is saved: send it to your listeners. The names stay here.` });
    } catch (error) {
      if (error instanceof JobCancelled) return setState("idle");
      setState({ problem: `The pack could not be made: ${error instanceof Error ? error.message : String(error)}` });
    }
  };
  return (
    <>
      <button
        type="button"
        className="btn border-rule bg-base-100"
        disabled={!may || state === "making"}
        onClick={() => void make()}
      >
        <Package size={15} /> {state === "making" ? "Making the pack…" : LABELS.makeAListeningPack}
      </button>
      {typeof state === "object" && (
        <p role="status" className={`basis-full text-[13px] ${"problem" in state ? "text-error" : "text-soft"}`}>
          {"problem" in state ? state.problem : state.made}
        </p>
      )}
    </>
  );
}
