import { FILE_REMARKS } from "../words/files";

/** A stretch of a coded file that could not be read, and is silent in its place. */
export type Gap = { startFrame: number; frames: number };

/** What is said of a file with such gaps. */
export const gapsRemark = (gaps: readonly Gap[], sampleRateHz: number): string =>
  FILE_REMARKS.damaged(
    gaps.map(({ startFrame, frames }) => ({
      startSeconds: startFrame / sampleRateHz,
      milliseconds: (1000 * frames) / sampleRateHz,
    })),
  );

/** So many frames of silence, in pieces. */
export function* silence(channelCount: number, frames: number): Generator<Float32Array[]> {
  const none = new Float32Array(Math.min(frames, 65_536));
  for (let left = frames; left > 0; left -= none.length) {
    const piece = none.subarray(0, Math.min(left, none.length));
    yield Array.from({ length: channelCount }, () => piece);
  }
}
