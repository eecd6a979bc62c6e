"use client";

import { Download, Hammer, type LucideIcon, Mic, Plus } from "lucide-react";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { LABELS } from "@/ui/labels";
import { stopKeyOptions } from "@/ui/shell/shortcuts";
import { LiveDialog } from "./live-dialog";
import { SignalDialog } from "./signal-dialog";
import { StressTestDialog } from "./stress-test-dialog";
import type { Subject } from "./use-bench";

type Dialog = "signal" | "live" | "force";

/** What brings something onto the bench: the signal's way out and back, through devices, or as a stress test. */
export function BenchActions({
  subjects,
  onAdd,
  onRecording,
}: {
  subjects: readonly Subject[];
  onAdd: () => void;
  onRecording: (file: File, signal: AbortSignal) => Promise<{ reason: string; advice: string } | null>;
}) {
  const [dialog, setDialog] = useState<Dialog | null>(null);
  const close = () => setDialog(null);
  return (
    <div className="grid grid-cols-2 gap-1.5">
      <Action title={LABELS.exportATestSignal} short="E" icon={Download} act={() => setDialog("signal")} isWide />
      <Action title="Add a recording" short="A" icon={Plus} act={onAdd} isWide />
      <Action title="Live" short="R" icon={Mic} act={() => setDialog("live")} />
      <Action title={LABELS.stressTest} short="G" icon={Hammer} act={() => setDialog("force")} />
      {dialog === "signal" && <SignalDialog onClose={close} />}
      {dialog === "live" && <LiveDialog onClose={close} onRecording={onRecording} />}
      {dialog === "force" && <StressTestDialog subjects={subjects} onClose={close} />}
    </div>
  );
}

function Action(props: { title: string; short: string; icon: LucideIcon; act: () => void; isWide?: boolean }) {
  const { title, short, icon: Icon, act, isWide } = props;
  useHotkeys(short.toLowerCase(), act, stopKeyOptions(short.toLowerCase()));
  return (
    <button
      type="button"
      className={`btn btn-sm border-rule bg-base-100 font-normal ${isWide ? "col-span-2" : ""}`}
      onClick={act}
    >
      <Icon size={15} aria-hidden="true" /> {title} <kbd className="kbd kbd-xs">{short}</kbd>
    </button>
  );
}
