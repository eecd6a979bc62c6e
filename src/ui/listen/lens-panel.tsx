"use client";

import { frequencyWords } from "@/core/words/units";
import { BAND_MODES, bandEdges, MOMENTS } from "@/playback/lens";
import { LABELS } from "@/ui/labels";
import { Slider } from "@/ui/shell/controls";
import { setView, useMonitor } from "@/ui/shell/monitor";
import { Choice } from "@/ui/shell/transport";

const LOWEST_HZ = 30;
const HIGHEST_HZ = 16_000;
const STEPS = 240;
const WIDTHS = [1 / 3, 2 / 3, 1, 2, 3] as const;
const WIDTH_WORDS = ["⅓", "⅔", "1", "2", "3"] as const;

const BAND_TITLES = { all: "All", alone: "Solo band", without: "Cut band" } as const;
const MOMENT_TITLES = { all: "All", onsets: "Transients", sustain: "Sustain" } as const;

const hertzAt = (step: number): number => LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** (step / STEPS);
const stepAt = (hertz: number): number =>
  Math.round((STEPS * Math.log(hertz / LOWEST_HZ)) / Math.log(HIGHEST_HZ / LOWEST_HZ));

/** What is looked through besides the channels: a band, and moments. The same for whatever is switched to. */
export function LensPanel() {
  const { band, moments } = useMonitor((m) => m.view);
  const { low, high } = bandEdges(band);
  return (
    <section aria-label="Lens by frequency and time" className="grid content-start gap-1.5 text-[13px]">
      <h2 className="font-display font-semibold text-[14px]">Lens</h2>
      <Choice
        label={LABELS.band}
        value={band.mode}
        onChange={(mode) => setView({ band: { ...band, mode } })}
        options={BAND_MODES.map((value) => ({ value, title: BAND_TITLES[value] }))}
      />
      <Slider
        label={LABELS.centreOfTheBand}
        title="Centre"
        min={0}
        max={STEPS}
        step={1}
        value={stepAt(band.centreHz)}
        shown={frequencyWords(band.centreHz)}
        onChange={(step) => setView({ band: { ...band, centreHz: hertzAt(step) } })}
      />
      <div className="flex items-center gap-2">
        <span className="text-soft">Width</span>
        <Choice
          label="Width, octaves"
          value={String(WIDTHS.indexOf(band.octaves as (typeof WIDTHS)[number]))}
          onChange={(index) => setView({ band: { ...band, octaves: WIDTHS[Number(index)] } })}
          options={WIDTH_WORDS.map((title, i) => ({ value: String(i), title }))}
        />
        <span className="text-soft" title={`${frequencyWords(low)} to ${frequencyWords(high)}`}>
          oct.
        </span>
      </div>
      <Choice
        label={LABELS.transients}
        value={moments}
        onChange={(value) => setView({ moments: value })}
        options={MOMENTS.map((value) => ({
          value,
          title: MOMENT_TITLES[value],
          hint: value === "all" ? "All of it" : "Set by the dry render's transients, the same for all renders",
        }))}
      />
    </section>
  );
}
