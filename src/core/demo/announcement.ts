import { bilinear } from "../audio/analogue";
import type { Clip } from "../audio/clip";
import { pow, sin } from "../audio/exact-math";
import { seededRandom } from "../audio/random";
import { finished } from "./passages";
import { DEMO_RATE_HZ, newStage } from "./voices";

/** First three formants in hertz of a low voice (Peterson and Barney, JASA 24, 1952; values from memory). */
const VOWELS = {
  i: [270, 2290, 3010],
  e: [530, 1840, 2480],
  a: [730, 1090, 2440],
  o: [570, 840, 2410],
  u: [300, 870, 2240],
  m: [250, 1100, 2200],
} as const;
const FORMANT_BANDWIDTHS_HZ = [70, 100, 160];
const FORMANT_LEVELS = [1, 0.5, 0.22];

/** Syllables as hiss before, vowel, length in seconds and pitch in hertz; "-" is a pause. Not words of any language. */
const SYLLABLES: readonly (readonly [
  hiss: string,
  vowel: keyof typeof VOWELS | "-",
  seconds: number,
  hertz: number,
])[] = [
  ["t", "a", 0.22, 118],
  ["", "m", 0.1, 116],
  ["s", "i", 0.2, 124],
  ["", "o", 0.34, 108],
  ["", "-", 0.35, 0],
  ["k", "e", 0.18, 122],
  ["", "u", 0.24, 118],
  ["s", "a", 0.22, 114],
  ["t", "o", 0.3, 104],
  ["", "m", 0.18, 98],
  ["", "-", 0.6, 0],
  ["s", "e", 0.2, 128],
  ["", "i", 0.22, 132],
  ["t", "a", 0.26, 120],
  ["", "m", 0.12, 116],
  ["k", "o", 0.3, 108],
  ["s", "u", 0.36, 96],
  ["", "-", 0.4, 0],
  ["t", "i", 0.16, 124],
  ["", "a", 0.3, 116],
  ["s", "o", 0.4, 92],
];
const REPEATS = 2;

/** A two-pole resonator at a formant, gain one at its peak. */
function resonator(hertz: number, bandwidthHz: number) {
  const q = hertz / bandwidthHz;
  const section = { cornerHz: hertz, numerator: [0, 1 / q, 0], denominator: [1, 1 / q, 1] } as const;
  return bilinear(section, DEMO_RATE_HZ);
}

/** Length of the hiss or burst that begins a syllable, in seconds, and its level. */
const HISSES: Record<string, { seconds: number; level: number; dark: number }> = {
  s: { seconds: 0.12, level: 0.07, dark: 0.1 },
  t: { seconds: 0.035, level: 0.1, dark: 0.3 },
  k: { seconds: 0.045, level: 0.1, dark: 0.6 },
};

function addHiss(target: Float32Array, start: number, kind: string, random: () => number): number {
  const hiss = HISSES[kind];
  if (!hiss) return 0;
  const frames = Math.round(hiss.seconds * DEMO_RATE_HZ);
  let last = 0;
  let smooth = 0;
  for (let i = 0; i < frames && start + i < target.length; i++) {
    const white = 2 * random() - 1;
    smooth += (1 - hiss.dark) * (white - last - smooth);
    last = white;
    target[start + i] += hiss.level * smooth * pow(sin((Math.PI * i) / frames), 0.6);
  }
  return frames;
}

/** Glottal pulses, falling 12 dB an octave, through three parallel formants that glide from syllable to syllable. */
function addVowel(target: Float32Array, start: number, vowel: keyof typeof VOWELS, seconds: number, hertz: number) {
  const frames = Math.round(seconds * DEMO_RATE_HZ);
  const filters = VOWELS[vowel].map((formant, f) => resonator(formant, FORMANT_BANDWIDTHS_HZ[f]));
  const states = filters.map(() => [0, 0]);
  const level = vowel === "m" ? 0.45 : 1;
  let phase = 0;
  let breath = 0;
  for (let i = 0; i < frames && start + i < target.length; i++) {
    const glide = hertz * (1 + 0.04 * sin((Math.PI * i) / frames)) * (1 + 0.006 * sin(i / 1400));
    phase += glide / DEMO_RATE_HZ;
    if (phase >= 1) phase -= 1;
    // Open for 60 % of the period, closing faster than it opens.
    const open = phase < 0.6 ? sin((Math.PI * phase) / 0.6) ** 2 * (phase / 0.6) : 0;
    const pulse = open - breath;
    breath = open;
    let sum = 0;
    filters.forEach(({ b0, b1, b2, a1, a2 }, f) => {
      const state = states[f];
      const y = b0 * pulse + state[0];
      state[0] = b1 * pulse - a1 * y + state[1];
      state[1] = b2 * pulse - a2 * y;
      sum += FORMANT_LEVELS[f] * y;
    });
    target[start + i] += level * 9 * sum * Math.min(1, i / 900, (frames - i) / 1400);
  }
}

/** First echoes of a deck, in seconds and levels, left and right. */
const ECHOES: readonly (readonly [left: number, right: number, level: number])[] = [
  [0.0213, 0.0271, 0.24],
  [0.0412, 0.0367, 0.16],
  [0.0731, 0.0801, 0.1],
];

/** Deck announcement: a synthesised voice over a loudspeaker deck, no words in it; 48 kHz stereo. */
export function deckAnnouncement(): Clip {
  const lengthSeconds = REPEATS * SYLLABLES.reduce((sum, [, , seconds]) => sum + seconds + 0.03, 0) + 0.6;
  const stage = newStage(lengthSeconds);
  const voice = new Float32Array(stage.left.length);
  const random = seededRandom(417);
  let at = Math.round(0.1 * DEMO_RATE_HZ);
  for (let repeat = 0; repeat < REPEATS; repeat++) {
    for (const [hiss, vowel, seconds, hertz] of SYLLABLES) {
      const hissFrames = addHiss(voice, at, hiss, random);
      // The second time round is a little lower, as a tired reader's.
      if (vowel !== "-")
        addVowel(voice, at + Math.round(0.6 * hissFrames), vowel, seconds, hertz * (1 - 0.03 * repeat));
      at += Math.round((seconds + 0.03) * DEMO_RATE_HZ);
    }
  }
  for (const [side, target] of [stage.left, stage.right].entries()) {
    target.set(voice);
    for (const echo of ECHOES) {
      const late = Math.round(echo[side] * DEMO_RATE_HZ);
      for (let i = late; i < target.length; i++) target[i] += echo[2] * voice[i - late];
    }
  }
  return finished(stage);
}
