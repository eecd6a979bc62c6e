import { oneChannel, thinned } from "../../alignment/thinning";
import { forwardReal, inverseReal } from "../../audio/fft";
import type { Sound } from "../../audio/sound";
import { chirp, codeOf, type MarkerCode } from "./marker";

/** A marker found in a recording: where its first chirp begins, seconds; how alike its chirps are to the ideal one, 0 to 1. */
export type FoundMarker = { atSeconds: number; code: MarkerCode; likeness: number; channel: number };

/** Coarse signals keep at least this rate: the chirps end at 3.5 kHz. */
const LEAST_RATE_HZ = 10_000;
/** A chirp counts that is as alike as this. Noise of the chirps' band reaches 0.2 (bandwidth times length is 320). */
const LEAST_LIKENESS = 0.3;
const APART_SECONDS = 0.03;
const BLOCK = 1 << 16;
/** Under this level (mean square over a chirp) there is nothing to be reported: −110 dBFS. */
const SILENT_POWER = 1e-11;

/** Every marker in a recording, whoever made it and however long it is; the most alike first. */
export function findMarkers(recording: Sound, chirpAt: (rateHz: number) => Float64Array = chirp): FoundMarker[] {
  let factor = 1;
  while (recording.sampleRateHz / (2 * factor) >= LEAST_RATE_HZ) factor *= 2;
  const rateHz = recording.sampleRateHz / factor;
  const found: FoundMarker[] = [];
  for (let c = 0; c < recording.channelCount; c++) {
    const channel = oneChannel(recording.frames, (start, count) => recording.read(start, count)[c] as Float32Array);
    const coarse = factor === 1 ? recording.read(0, recording.frames)[c] : thinned(channel, 1, factor);
    // Channels may come at different times: a marker is read within one.
    found.push(...markersOf(apart(chirpsIn(coarse, chirpAt(rateHz), rateHz)), c));
  }
  return found.sort((a, b) => b.likeness - a.likeness);
}

type Place = { seconds: number; likeness: number };

/** Where a channel is like a chirp, by normalised correlation, piece by piece. */
function chirpsIn(signal: Float32Array, shape: Float64Array, rateHz: number): Place[] {
  const spectrum = forwardReal(shape, BLOCK);
  for (let i = 1; i < spectrum.length; i += 2) spectrum[i] = -spectrum[i];
  const norm = Math.sqrt(shape.reduce((sum, v) => sum + v * v, 0));
  const hop = BLOCK - shape.length;
  const places: Place[] = [];
  const energies = new Float64Array(BLOCK + 1);
  for (let from = 0; from < signal.length; from += hop) {
    const piece = signal.subarray(from, Math.min(signal.length, from + BLOCK));
    for (let i = 0; i < BLOCK; i++) energies[i + 1] = energies[i] + (i < piece.length ? piece[i] * piece[i] : 0);
    if (energies[BLOCK] === 0) continue;
    const product = forwardReal(piece, BLOCK);
    for (let i = 0; i < product.length; i += 2) {
      const re = product[i] * spectrum[i] - product[i + 1] * spectrum[i + 1];
      product[i + 1] = product[i] * spectrum[i + 1] + product[i + 1] * spectrum[i];
      product[i] = re;
    }
    const correlation = inverseReal(product);
    const likenessAt = (i: number) => {
      if (i < 0) return 0;
      const energy = energies[Math.min(BLOCK, i + shape.length)] - energies[i];
      return energy > SILENT_POWER * shape.length ? Math.abs(correlation[i]) / (norm * Math.sqrt(energy)) : 0;
    };
    // The first place of a piece is the last of the one before.
    const end = Math.min(hop, piece.length - Math.floor(0.8 * shape.length));
    for (let i = from === 0 ? 0 : 1; i <= end; i++) {
      const here = likenessAt(i);
      if (here < LEAST_LIKENESS || here < likenessAt(i - 1) || here < likenessAt(i + 1)) continue;
      places.push({ seconds: (from + i) / rateHz, likeness: Math.min(1, here) });
    }
  }
  return places;
}

/** The most alike of places that lie close together, in order of time. */
function apart(places: readonly Place[]): Place[] {
  const kept: Place[] = [];
  for (const place of places.toSorted((a, b) => b.likeness - a.likeness))
    if (kept.every((other) => Math.abs(other.seconds - place.seconds) > APART_SECONDS)) kept.push(place);
  return kept.sort((a, b) => a.seconds - b.seconds);
}

/** Threes of chirps whose distances are a code. */
function markersOf(chirps: readonly Place[], channel: number): FoundMarker[] {
  const found: FoundMarker[] = [];
  for (const [i, first] of chirps.entries())
    for (let j = i + 1; j < chirps.length; j++) {
      const one = codeOf(chirps[j].seconds - first.seconds);
      if (one === null) continue;
      for (let k = j + 1; k < chirps.length; k++) {
        const two = codeOf(chirps[k].seconds - chirps[j].seconds);
        if (two === null) continue;
        const likeness = Math.min(first.likeness, chirps[j].likeness, chirps[k].likeness);
        found.push({ atSeconds: first.seconds, code: [one, two], likeness, channel });
      }
    }
  return found.sort((a, b) => b.likeness - a.likeness);
}
