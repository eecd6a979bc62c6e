import { cos, exp, pow, sin } from "../audio/exact-math";
import { seededRandom } from "../audio/random";

export const DEMO_RATE_HZ = 48_000;

/** A stereo passage being written. */
export type Stage = { left: Float32Array; right: Float32Array };

export const newStage = (seconds: number): Stage => ({
  left: new Float32Array(Math.round(seconds * DEMO_RATE_HZ)),
  right: new Float32Array(Math.round(seconds * DEMO_RATE_HZ)),
});

/** Equal-power pan, −1 left to 1 right. */
function panGains(pan: number): [number, number] {
  const angle = ((pan + 1) * Math.PI) / 4;
  return [cos(angle), sin(angle)];
}

export const hertzOfMidi = (note: number): number => 440 * pow(2, (note - 69) / 12);

type Mode = { ratio: number; level: number; decaySeconds: number };

/** Free-bar partials 1, 4, 10 are how marimba bars are tuned (Fletcher and Rossing, Physics of Musical Instruments; memory). */
const MARIMBA: Mode[] = [
  { ratio: 1, level: 1, decaySeconds: 0.42 },
  { ratio: 3.99, level: 0.24, decaySeconds: 0.12 },
  { ratio: 9.9, level: 0.1, decaySeconds: 0.05 },
];

/** Circular membrane partials by the zeros of Bessel functions: 1, 1.59, 2.14, 2.30 (same source, memory). */
const SKIN: Mode[] = [
  { ratio: 1, level: 1, decaySeconds: 0.22 },
  { ratio: 1.594, level: 0.55, decaySeconds: 0.12 },
  { ratio: 2.136, level: 0.35, decaySeconds: 0.09 },
  { ratio: 2.296, level: 0.25, decaySeconds: 0.07 },
];

/** Partials of a tuned bell: hum, prime, minor tierce, quint, nominal and above (Fletcher and Rossing; memory). */
const BELL: Mode[] = [
  { ratio: 0.5, level: 0.35, decaySeconds: 2.6 },
  { ratio: 1, level: 0.7, decaySeconds: 1.7 },
  { ratio: 1.2, level: 0.6, decaySeconds: 1.4 },
  { ratio: 1.5, level: 0.3, decaySeconds: 0.9 },
  { ratio: 2, level: 1, decaySeconds: 0.8 },
  { ratio: 2.67, level: 0.4, decaySeconds: 0.45 },
  { ratio: 3.01, level: 0.35, decaySeconds: 0.35 },
  { ratio: 4.17, level: 0.28, decaySeconds: 0.25 },
  { ratio: 5.43, level: 0.16, decaySeconds: 0.16 },
  { ratio: 6.8, level: 0.1, decaySeconds: 0.1 },
];

/** Adds decaying sines by a two-pole recursion each; the strike rises over 1 ms so that it does not click. */
function addModes(stage: Stage, modes: Mode[], at: number, hertz: number, level: number, pan: number, ring = 1): void {
  const start = Math.round(at * DEMO_RATE_HZ);
  const [gainLeft, gainRight] = panGains(pan);
  for (const mode of modes) {
    const frequency = hertz * mode.ratio;
    if (frequency > DEMO_RATE_HZ * 0.45) continue;
    const decay = mode.decaySeconds * ring;
    const frames = Math.min(stage.left.length - start, Math.round(decay * 7 * DEMO_RATE_HZ));
    const radius = exp(-1 / (decay * DEMO_RATE_HZ));
    const w = (2 * Math.PI * frequency) / DEMO_RATE_HZ;
    const c1 = 2 * radius * cos(w);
    const c2 = -radius * radius;
    let y1 = sin(-w) / radius;
    let y2 = sin(-2 * w) / (radius * radius);
    const amplitude = level * mode.level;
    for (let i = 0; i < frames; i++) {
      const y = c1 * y1 + c2 * y2;
      y2 = y1;
      y1 = y;
      const value = amplitude * y * Math.min(1, i / 48);
      stage.left[start + i] += value * gainLeft;
      stage.right[start + i] += value * gainRight;
    }
  }
}

/** Adds a burst of noise through a one-pole band: `brightness` 0 dull to 1 bright. */
function addNoise(
  stage: Stage,
  at: number,
  level: number,
  decaySeconds: number,
  brightness: number,
  pan: number,
  seed: number,
): void {
  const random = seededRandom(seed);
  const start = Math.round(at * DEMO_RATE_HZ);
  const frames = Math.min(stage.left.length - start, Math.round(decaySeconds * 7 * DEMO_RATE_HZ));
  const [gainLeft, gainRight] = panGains(pan);
  const fall = exp(-1 / (decaySeconds * DEMO_RATE_HZ));
  let envelope = level;
  let low = 0;
  let floor = 0;
  for (let i = 0; i < frames; i++) {
    low += brightness * (random() * 2 - 1 - low);
    floor += 0.05 * (low - floor);
    const value = (low - floor) * envelope * Math.min(1, i / 24);
    stage.left[start + i] += value * gainLeft;
    stage.right[start + i] += value * gainRight;
    envelope *= fall;
  }
}

export function marimba(stage: Stage, at: number, note: number, level: number, pan: number): void {
  addModes(stage, MARIMBA, at, hertzOfMidi(note), level, pan, note < 60 ? 1.6 : 1);
  addNoise(stage, at, level * 0.35, 0.004, 0.5, pan, note * 131 + Math.round(at * 1000));
}

export function bell(stage: Stage, at: number, note: number, level: number, pan: number): void {
  addModes(stage, BELL, at, hertzOfMidi(note), level, pan);
  addNoise(stage, at, level * 0.25, 0.003, 0.9, pan, note * 17 + Math.round(at * 1000));
}

/** An open tone of a hand drum: skin modes and the slap of the hand. */
export function handDrum(stage: Stage, at: number, hertz: number, level: number, pan: number, slap: number): void {
  addModes(stage, SKIN, at, hertz, level * (1 - 0.6 * slap), pan, 1 - 0.5 * slap);
  addNoise(
    stage,
    at,
    level * (0.3 + 1.4 * slap),
    0.006 + 0.012 * slap,
    0.25 + 0.5 * slap,
    pan,
    Math.round(at * 48_000) + 7,
  );
}

export function shaker(stage: Stage, at: number, level: number, pan: number): void {
  addNoise(stage, at, level, 0.018, 0.95, pan, Math.round(at * 44_100) + 3);
}

/** A plucked low string: six falling harmonics. */
export function bass(stage: Stage, at: number, note: number, level: number, seconds: number): void {
  const modes = Array.from({ length: 6 }, (_, i) => ({
    ratio: i + 1,
    level: 1 / pow(i + 1, 1.4),
    decaySeconds: (seconds * 0.7) / (1 + 0.6 * i),
  }));
  addModes(stage, modes, at, hertzOfMidi(note), level, 0);
}

/** A soft held chord: each note three slightly detuned sines with two overtones, swelling in and out. */
export function pad(stage: Stage, at: number, seconds: number, notes: readonly number[], level: number): void {
  const start = Math.round(at * DEMO_RATE_HZ);
  const frames = Math.min(stage.left.length - start, Math.round(seconds * DEMO_RATE_HZ));
  const swell = Float64Array.from({ length: frames }, (_, i) => level * pow(sin((Math.PI * i) / frames), 0.7));
  notes.forEach((note, n) => {
    [-0.0021, 0, 0.0017].forEach((detune, d) => {
      const w = (2 * Math.PI * hertzOfMidi(note) * (1 + detune)) / DEMO_RATE_HZ;
      const [gainLeft, gainRight] = panGains((d - 1) * 0.8);
      // A rotating phasor instead of a sine a sample.
      let re = cos(n + d);
      let im = sin(n + d);
      const stepRe = cos(w);
      const stepIm = sin(w);
      for (let i = 0; i < frames; i++) {
        const next = re * stepRe - im * stepIm;
        im = re * stepIm + im * stepRe;
        re = next;
        const value = swell[i] * (im + 0.5 * im * re + 0.2 * im * im * im);
        stage.left[start + i] += value * gainLeft;
        stage.right[start + i] += value * gainRight;
      }
    });
  });
}
