import { z } from "zod";
import { asRead, type Sound } from "./sound";

/** What of a sound is looked at: all channels together, or one made of them. */
export const channelViewSchema = z.enum(["both", "left", "right", "mid", "side"]);
export type ChannelView = z.infer<typeof channelViewSchema>;

/** That of a sound, as mono where it is one channel. Mono is its own left, right and mid, and has no side. */
export function channelView(sound: Sound, view: ChannelView): Sound {
  if (view === "both") return sound;
  const isMono = sound.channelCount < 2;
  return asRead({ ...sound, channelCount: 1 }, (from, count) => {
    const [left, right = left] = sound.read(from, count);
    if (view === "left") return [left];
    if (view === "right") return [right];
    if (isMono) return [view === "mid" ? left : new Float32Array(count)];
    return [left.map((v, i) => (view === "mid" ? v + right[i] : v - right[i]) / 2)];
  });
}
