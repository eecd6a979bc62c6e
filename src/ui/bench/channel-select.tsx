"use client";

import { CHANNELS, type ChannelName } from "@/core/bench/read/parts";
import { QuickSelect } from "@/ui/shell/controls";
import { type MeasuredSubject, useBenchSettings } from "./use-bench";

const TITLES: Record<ChannelName, string> = { left: "Left", right: "Right", mid: "Mid", side: "Side" };

/** Which channel's figures are shown, where channels differ; of what has only one reading they are that. */
export function ChannelSelect({ measured }: { measured: readonly MeasuredSubject[] }) {
  const channel = useBenchSettings((settings) => settings.channel);
  const isTold = (whole: MeasuredSubject["whole"], name: ChannelName) =>
    whole.channels.some((c) => c.channel === name && c.figures && !c.differs.includes("silent"));
  const differing = CHANNELS.filter((name) => name === "left" || measured.some(({ whole }) => isTold(whole, name)));
  if (differing.length < 2) return null;
  return (
    <div className="ml-auto pb-1 text-[12px]">
      <QuickSelect
        label="Channel whose figures are shown"
        title="Channel"
        value={differing.includes(channel) ? channel : "left"}
        options={differing.map((value) => ({ value, title: TITLES[value] }))}
        onChange={(value) => useBenchSettings.setState({ channel: value })}
      />
    </div>
  );
}
