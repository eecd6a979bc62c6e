import { amplitudeFromDb } from "../../audio/decibels";
import { cos, sin } from "../../audio/exact-math";

/**
 * A marker is three falling chirps of a tenth of a second. The time between them tells at which end it stands and how the signal was made, so that a
 * recording need not be reported of it: between the first two the rate, the channels and the end, between the last two the level.
 */
const CHIRP_SECONDS = 0.1;
const FROM_HZ = 3500;
const TO_HZ = 300;
const TAPER_SECONDS = 0.01;
/** The shortest silence between two chirps, and what each step of the code adds. */
const REST_SECONDS = 0.1;
const STEP_SECONDS = 0.002;
const SLOT_SECONDS = 0.72;
/** So many codes there is room for in each silence. */
export const MOST_CODE = 60;

/** What a marker says: two whole numbers from 0 to `MOST_CODE`. */
export type MarkerCode = readonly [number, number];

export const markerFrames = (rateHz: number): number => Math.round(SLOT_SECONDS * rateHz);

/** One chirp of a marker at full scale. The first version of the signal had them rise: its recordings are known by that. */
export const chirp = (rateHz: number): Float64Array => sweptTone(rateHz, CHIRP_SECONDS, FROM_HZ, TO_HZ);
export const chirpOfFirstVersion = (rateHz: number): Float64Array => sweptTone(rateHz, CHIRP_SECONDS, TO_HZ, FROM_HZ);

/** A mark rises, so that it is not taken for a marker. */
const MARK_SECONDS = 0.05;
export const markFrames = (rateHz: number): number => Math.round(MARK_SECONDS * rateHz);
export const markShape = (rateHz: number): Float64Array => sweptTone(rateHz, MARK_SECONDS, TO_HZ, FROM_HZ);

function sweptTone(rateHz: number, seconds: number, fromHz: number, toHz: number): Float64Array {
  const frames = Math.round(seconds * rateHz);
  return Float64Array.from({ length: frames }, (_, i) => {
    const t = i / rateHz;
    const edge = Math.min(t, seconds - t) / TAPER_SECONDS;
    const taper = edge >= 1 ? 1 : 0.5 - 0.5 * cos(Math.PI * edge);
    return taper * sin(2 * Math.PI * (fromHz * t + ((toHz - fromHz) / (2 * seconds)) * t * t));
  });
}

/** Where the chirps of a marker begin, in seconds from its first. */
export const chirpSeconds = (code: MarkerCode): [number, number, number] => {
  const second = CHIRP_SECONDS + REST_SECONDS + STEP_SECONDS * code[0];
  return [0, second, second + CHIRP_SECONDS + REST_SECONDS + STEP_SECONDS * code[1]];
};

/** Writes a marker into a signal. */
export function writeMarker(
  target: Float32Array,
  startFrame: number,
  rateHz: number,
  levelDbfs: number,
  code: MarkerCode,
): void {
  const shape = chirp(rateHz);
  const amplitude = amplitudeFromDb(levelDbfs);
  for (const seconds of chirpSeconds(code)) {
    const at = startFrame + Math.round(seconds * rateHz);
    for (let i = 0; i < shape.length; i++) target[at + i] = amplitude * shape[i];
  }
}

/** The code that lies nearest to the time between two chirps; null where none does. */
export function codeOf(apartSeconds: number): number | null {
  const steps = (apartSeconds - CHIRP_SECONDS - REST_SECONDS) / STEP_SECONDS;
  const code = Math.round(steps) + 0;
  return code >= 0 && code <= MOST_CODE && Math.abs(steps - code) <= 0.35 ? code : null;
}
