import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { atGain, type Sound, soundOf } from "../audio/sound";
import { gainCourse } from "./gain-course";

const RATE = 12_000;

/** Five seconds of noise that swells by 20 dB twice a second. */
function swells(): Sound {
  const random = seededRandom(3);
  const channels = [0, 1].map(() =>
    Float32Array.from(
      { length: 5 * RATE },
      (_, i) => 0.5 * 10 ** -((2 * i) / RATE - Math.floor((2 * i) / RATE)) * (2 * random() - 1),
    ),
  );
  return soundOf({ sampleRateHz: RATE, channels });
}
const all = (sound: Sound) => ({ startFrame: 0, endFrame: sound.frames });

describe("gain over time of a pair in step", () => {
  it("is the gain, wherever there is something to tell it by", () => {
    const dry = swells();
    const { gainDb } = gainCourse(dry, atGain(dry, 0.5), all(dry));
    for (const db of gainDb) if (!Number.isNaN(db)) expect(db).toBeCloseTo(-6.0206, 3);
    expect(gainDb.every((db) => !Number.isNaN(db))).toBe(true);
  });
  it("does not count what the dry sound does not hold, and is told of no silence", () => {
    const dry = swells();
    const random = seededRandom(8);
    const noisy = soundOf({
      sampleRateHz: RATE,
      channels: [0, 1].map((c) => dry.read(0, dry.frames)[c].map((v) => v + 0.001 * (2 * random() - 1))),
    });
    const { gainDb } = gainCourse(dry, noisy, all(dry));
    const mean = gainDb.reduce((sum, db) => sum + db, 0) / gainDb.length;
    expect(Math.abs(mean)).toBeLessThan(0.05);
    const silence = soundOf({ sampleRateHz: RATE, channels: [new Float32Array(RATE)] });
    expect(gainCourse(silence, silence, all(silence)).gainDb.every(Number.isNaN)).toBe(true);
  });
  it("follows a flipped copy down to nothing, and a region to its own ends", () => {
    const dry = swells();
    const region = { startFrame: 3000, endFrame: 9000 };
    const course = gainCourse(dry, atGain(dry, -1), region);
    expect(course.startFrame).toBe(3000);
    expect(course.gainDb).toHaveLength(Math.floor(6000 / course.cellFrames));
    expect(new Set(course.gainDb)).toEqual(new Set([-60]));
  });
});
