/** A stretch of a coded file that could not be read, and is silent in its place. */
export type Gap = { startFrame: number; frames: number };

/** Damaged places that are named one by one. */
const MOST_NAMED = 3;

/** "The file is damaged: 85.3 ms at 1.024 s could not be read and are silent." */
export function damageOf(gaps: readonly Gap[], sampleRateHz: number): string {
  const named = gaps.slice(0, MOST_NAMED).map(({ startFrame, frames }) => {
    return `${((1000 * frames) / sampleRateHz).toFixed(1)} ms at ${(startFrame / sampleRateHz).toFixed(3)} s`;
  });
  const more = gaps.length > named.length ? ` and ${gaps.length - named.length} more` : "";
  return `The file is damaged: ${named.join(", ")}${more} could not be read and are silent.`;
}

/** So many frames of silence, in pieces. */
export function* silence(channelCount: number, frames: number): Generator<Float32Array[]> {
  const none = new Float32Array(Math.min(frames, 65_536));
  for (let left = frames; left > 0; left -= none.length) {
    const piece = none.subarray(0, Math.min(left, none.length));
    yield Array.from({ length: channelCount }, () => piece);
  }
}
