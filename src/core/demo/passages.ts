import type { Clip } from "../audio/clip";
import { samplePeak, scaleClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { seededRandom } from "../audio/random";
import { bass, bell, DEMO_RATE_HZ, handDrum, marimba, newStage, pad, type Stage, shaker } from "./voices";

/** Peak each dry passage is set to: head room for the processors to use. */
const DRY_PEAK_DBFS = -4;

export function finished(stage: Stage): Clip {
  const clip = { sampleRateHz: DEMO_RATE_HZ, channels: [stage.left, stage.right] };
  const scaled = scaleClip(clip, amplitudeFromDb(DRY_PEAK_DBFS) / samplePeak(clip));
  fadeOut(scaled, 0.05);
  return scaled;
}

function fadeOut(clip: Clip, seconds: number): void {
  const frames = Math.round(seconds * clip.sampleRateHz);
  for (const channel of clip.channels) {
    for (let i = 0; i < frames; i++) channel[channel.length - 1 - i] *= i / frames;
  }
}

/** When, which note, how hard, where: two calls of a falling figure, the second answered an octave lower. */
const CHIME_STROKES: readonly (readonly [seconds: number, note: number, level: number, pan: number])[] = [
  [0.05, 79, 0.9, -0.2],
  [0.65, 76, 0.75, 0.2],
  [1.25, 72, 0.85, 0],
  [3.6, 79, 0.8, -0.2],
  [4.2, 76, 0.7, 0.2],
  [4.8, 72, 0.75, 0],
  [5.4, 67, 0.9, -0.1],
  [5.42, 60, 0.5, 0.1],
];

/** Boarding chime: struck bells, long and tonal, seconds between the strokes; 48 kHz stereo. */
export function boardingChime(): Clip {
  const stage = newStage(9.6);
  for (const [at, note, level, pan] of CHIME_STROKES) bell(stage, at, note, level, pan);
  return finished(stage);
}

const CROSSING_BEAT_SECONDS = 60 / 108;
/** Four bars, a bar each: D minor 9, B flat major 7, F, C suspended. MIDI note numbers. */
const CROSSING_CHORDS: { root: number; notes: number[] }[] = [
  { root: 38, notes: [62, 65, 69, 72, 76] },
  { root: 34, notes: [62, 65, 70, 74, 77] },
  { root: 41, notes: [60, 65, 69, 72, 77] },
  { root: 36, notes: [60, 65, 67, 72, 74] },
];
/** Which chord note the marimba strikes on each eighth; −1 rests. */
const CROSSING_FIGURE = [0, 2, 4, 2, 3, -1, 1, 3] as const;

/** Crossing theme: marimba, bass, hand percussion and a pad; seven bars of 108 beats a minute, 48 kHz stereo. */
export function crossingTheme(): Clip {
  const bars = 7;
  const bar = 4 * CROSSING_BEAT_SECONDS;
  const stage = newStage(bars * bar + 0.4);
  const random = seededRandom(1871);
  for (let b = 0; b < bars; b++) {
    const chord = CROSSING_CHORDS[b % CROSSING_CHORDS.length];
    const at = b * bar;
    pad(stage, at, bar + 0.2, chord.notes.slice(0, 4), 0.035);
    bass(stage, at, chord.root, 0.5, 1.1);
    bass(stage, at + 2.5 * CROSSING_BEAT_SECONDS, chord.root + (b % 2 ? 7 : 12), 0.36, 0.7);
    CROSSING_FIGURE.forEach((step, i) => {
      if (step < 0) return;
      const time = at + (i * CROSSING_BEAT_SECONDS) / 2 + (random() - 0.5) * 0.006;
      const octave = b >= 4 && i % 4 === 2 ? 12 : 0;
      marimba(stage, Math.max(0, time), chord.notes[step] + octave, 0.26 + 0.1 * random(), i % 2 ? 0.35 : -0.35);
    });
    for (let i = 0; i < 8; i++) shaker(stage, at + (i * CROSSING_BEAT_SECONDS) / 2, i % 2 ? 0.1 : 0.05, 0.5);
    if (b >= 1) {
      handDrum(stage, at, 96, 0.4, -0.15, 0);
      handDrum(stage, at + 1.5 * CROSSING_BEAT_SECONDS, 148, 0.28, 0.25, 0.15);
      handDrum(stage, at + 3 * CROSSING_BEAT_SECONDS, 148, 0.34, 0.25, 0.7);
    }
  }
  return finished(stage);
}

const DRUM_STEP_SECONDS = 60 / 96 / 4;
/** Sixteenths of a bar: o open low, h open high, s slap, t tap, . rest. */
const DRUM_BARS = ["o..th.t.o.h.s..t", "o.h.s.tto.thh.s.", "o..th.tsoth.s.hh", "o.s.h.s.ooths.s."] as const;

/** Hand drums: two skins, open tones, slaps and taps; four bars of 96 beats a minute, 48 kHz stereo. */
export function handDrums(): Clip {
  const stage = newStage(DRUM_BARS.length * 16 * DRUM_STEP_SECONDS + 0.6);
  const random = seededRandom(96);
  DRUM_BARS.join("")
    .split("")
    .forEach((stroke, i) => {
      const at = Math.max(0, i * DRUM_STEP_SECONDS + (random() - 0.5) * 0.008);
      const level = 0.75 + 0.25 * random();
      if (stroke === "o") handDrum(stage, at, 88, level, -0.3, 0);
      if (stroke === "h") handDrum(stage, at, 172, level * 0.7, 0.3, 0.1);
      if (stroke === "s") handDrum(stage, at, 205, level * 0.8, 0.3, 0.95);
      if (stroke === "t") handDrum(stage, at, 190, level * 0.22, 0.1, 0.6);
    });
  return finished(stage);
}
