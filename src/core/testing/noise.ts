import { seededRandom } from "../audio/random";

/** Gaussian noise of an effective value, by the polar form of Box and Muller (1958). */
export function gaussian(frames: number, rms: number, seed: number): Float32Array {
  const random = seededRandom(seed);
  return Float32Array.from(
    { length: frames },
    () => rms * Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random()),
  );
}
