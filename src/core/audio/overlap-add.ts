import { forwardReal, inverseReal } from "./fft";
import type { FrameRange, Sound } from "./sound";
import { hannWindow } from "./window";

/**
 * What is made of a sound by its spectra: Hann windows of `size` frames, half overlapped, which add up to the sound itself; `treat` makes spectra of each
 * window's (interleaved, shorter for a lower rate), and `onHalf` is given half a window of each at a time, in order, with the frame it begins at and
 * the sound itself there. For what is smooth over frequency: the sound before and after a window does not come into it.
 */
export function overlapAdd(
  sound: Sound,
  { startFrame, endFrame }: FrameRange,
  size: number,
  treat: (spectrum: Float64Array) => Float64Array[],
  onHalf: (frame: number, channel: number, treated: readonly Float64Array[], plain: Float32Array) => void,
  pause: (share: number) => void = () => {},
): void {
  const hop = size / 2;
  const window = hannWindow(size);
  const tails: (Float64Array[] | null)[] = Array.from({ length: sound.channelCount }, () => null);
  for (let at = startFrame - hop; at < endFrame; at += hop) {
    const channels = sound.read(at, size);
    for (const [c, channel] of channels.entries()) {
      const treated = treat(
        forwardReal(
          window.map((w, i) => w * channel[i]),
          size,
        ),
      ).map((spectrum) => {
        const signal = inverseReal(spectrum);
        const scale = signal.length / size;
        return scale === 1 ? signal : signal.map((v) => v * scale);
      });
      const before = tails[c];
      tails[c] = treated.map((signal) => signal.subarray(signal.length / 2));
      if (!before || at < startFrame) continue;
      const halves = treated.map((signal, i) => before[i].map((v, n) => v + signal[n]));
      const inside = Math.min(hop, endFrame - at) / hop;
      onHalf(
        at,
        c,
        halves.map((half) => half.subarray(0, Math.ceil(half.length * inside))),
        channel.subarray(0, Math.min(hop, endFrame - at)),
      );
    }
    pause(Math.min(1, Math.max(0, (at + hop - startFrame) / (endFrame - startFrame))));
  }
}
