import { sin } from "./exact-math";
import { kaiserAt, kaiserBeta } from "./window";

/**
 * A linear-phase low-pass: its taps, and the one that counts as time zero. Windowed sinc under Kaiser's window, half way down at the middle of the
 * slope from `passHz` to `stopHz`, `attenuationDb` down from there (Kaiser 1974; the length as in Oppenheim and Schafer, eq. 7.76,
 * number from memory). Unity gain at 0 Hz.
 */
export function lowPass(
  sampleRateHz: number,
  passHz: number,
  stopHz: number,
  attenuationDb: number,
): { taps: Float64Array; lead: number } {
  const slope = (2 * Math.PI * (stopHz - passHz)) / sampleRateHz;
  const lead = Math.ceil((attenuationDb - 8) / (2.285 * slope) / 2);
  const beta = kaiserBeta(attenuationDb);
  const corner = (passHz + stopHz) / sampleRateHz;
  const taps = Float64Array.from({ length: 2 * lead + 1 }, (_, i) => {
    const t = i - lead;
    const sinc = t === 0 ? corner : sin(Math.PI * corner * t) / (Math.PI * t);
    return sinc * kaiserAt(t / (lead + 1), beta);
  });
  const sum = taps.reduce((total, tap) => total + tap, 0);
  return { taps: taps.map((tap) => tap / sum), lead };
}
