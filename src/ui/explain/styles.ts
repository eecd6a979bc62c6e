import type { ChannelView } from "@/core/audio/channel-view";

export const CHANNELS: { value: ChannelView; title: string }[] = [
  { value: "both", title: "Left and right" },
  { value: "left", title: "Left" },
  { value: "right", title: "Right" },
  { value: "mid", title: "Mid" },
  { value: "side", title: "Side" },
];
