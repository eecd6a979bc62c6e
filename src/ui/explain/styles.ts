import type { ChannelView } from "@/core/audio/channel-view";
import { LABELS } from "@/ui/labels";

export const CHANNELS: { value: ChannelView; title: string }[] = [
  { value: "both", title: "Left and right" },
  { value: "left", title: "Left" },
  { value: "right", title: "Right" },
  { value: "mid", title: LABELS.mid },
  { value: "side", title: "Side" },
];
