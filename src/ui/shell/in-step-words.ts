import type { Alignment, Placement } from "@/core/alignment/alignment";
import { number } from "@/ui/format";

const LEAST_TOLD_SAMPLES = 0.005;

/** How a render lies against the dry one, in a few words; a coloured dot and the words say the same. */
export function inStepWords(alignment: Alignment | undefined): {
  words: string;
  /** The same where there is room for a dozen letters only. */
  short: string;
  tone: "good" | "care" | "wrong" | "none";
} {
  if (!alignment) return { words: "Lining up…", short: "Lining up…", tone: "none" };
  if (!alignment.found) return { words: `Not in step: ${alignment.reason}`, short: "Not in step", tone: "wrong" };
  const { delaySamples, driftPpm, doubt } = alignment;
  const parts: string[] = [];
  // Beside a clock of its own, a delay that would read 0.00 is none.
  const apart = driftPpm && Math.abs(delaySamples) < LEAST_TOLD_SAMPLES ? 0 : Math.abs(delaySamples);
  const samples = number(apart, Number.isInteger(apart) ? 0 : 2);
  const side = delaySamples > 0 ? "late" : "early";
  if (apart !== 0) parts.push(`${samples} ${apart === 1 ? "sample" : "samples"} ${side}`);
  if (driftPpm) parts.push(`clock ${number(Math.abs(driftPpm))} ppm ${driftPpm > 0 ? "fast" : "slow"}`);
  const channels = channelWords(alignment);
  if (channels) parts.push(channels);
  if (parts.length === 0 && !doubt) return { words: "In step", short: "In step", tone: "good" };
  const done = parts.length > 0 ? `${parts.join("; ")}, corrected` : "in step";
  const words = doubt ? `${done}; unsure: ${doubt}` : done;
  const late = apart === 0 ? "" : `${samples} smp ${side}`;
  const short =
    [late, driftPpm && `${number(Math.abs(driftPpm))} ppm`, channels].filter(Boolean).join(", ") || "In step";
  return {
    words: words[0].toUpperCase() + words.slice(1),
    short: doubt ? `Unsure: ${short}` : short,
    tone: doubt ? "care" : "good",
  };
}

/** What is wrong with the channels, in a word or two; empty where nothing is. */
export function channelWords({ polarity: { left, right }, swapped }: Placement): string {
  const flipped = left < 0 && right < 0 ? "flipped" : left < 0 ? "left flipped" : right < 0 ? "right flipped" : "";
  return [flipped, swapped && "swapped"].filter(Boolean).join(", ");
}
