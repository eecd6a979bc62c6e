"use client";

import { useState } from "react";
import { commitmentText } from "@/core/blind/commitment";
import type { Run } from "@/core/blind/run";
import { fileNameOf } from "@/core/findings/file-name";
import { deviceKey } from "@/store/device-key";
import { download } from "@/ui/shell/download";

/** The commitment to a run, to be handed over while nothing was answered yet. */
export function Commitment({ run }: { run: Run }) {
  const [copied, setCopied] = useState<string | null>(null);
  const text = async () => commitmentText(run, (await deviceKey())?.publicKeyHex ?? null);
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(await text());
      setCopied("Copied.");
    } catch {
      setCopied("The browser blocked copying. Save it instead.");
    }
  };
  const save = async () => {
    const blob = new Blob([await text()], { type: "text/plain" });
    download(fileNameOf(`${run.passageTitle} run ${run.id.slice(0, 4)} commitment`, "txt"), blob);
  };
  return (
    <p className="flex items-center gap-2 text-[13px] text-soft" data-testid="commitment">
      To prove later that the order never changed, hand over the seal first:
      <button type="button" className="btn btn-xs border-rule" onClick={() => void copy()}>
        Copy commitment
      </button>
      <button type="button" className="btn btn-xs border-rule" onClick={() => void save()}>
        Save commitment
      </button>
      <span role="status">{copied}</span>
    </p>
  );
}
