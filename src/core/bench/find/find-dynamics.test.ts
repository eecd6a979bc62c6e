import { describe, expect, it } from "vitest";
import { seededRandom } from "../../audio/random";
import { atGain, type Sound, soundOf, stretch } from "../../audio/sound";
import { gainCourse } from "../../dynamics/gain-course";
import { processorOf } from "../../processors/registry";
import { recording } from "../../testing/recordings";
import { findDynamics } from "./find-dynamics";
import { DYNAMICS, foundDynamicsSchema } from "./found-dynamics";

const COMPRESSOR = "feed-forward-compressor";
const RATE = 12_000;
const SECONDS = 5;

/** Noise that swells and rests, twice a second, by 40 dB: something for an attack, something for a release. */
function swells(seed = 3, seconds = SECONDS): Sound {
  const random = seededRandom(seed);
  const channels = [0, 1].map(() =>
    Float32Array.from({ length: RATE * seconds }, (_, i) => {
      const turn = (2 * i) / RATE;
      const level = 10 ** (-2 * (turn - Math.floor(turn)));
      return 0.7 * level * (0.4 + 0.6 * ((Math.floor(turn) % 3) / 2)) * (2 * random() - 1);
    }),
  );
  return soundOf({ sampleRateHz: RATE, channels });
}
const through = (sound: Sound, key: string, settings: object): Sound => {
  const processor = processorOf(key);
  if (!processor) throw new RangeError(key);
  return processor.process(sound, processor.parameters.parse(settings), {});
};
const all = (sound: Sound) => ({ startFrame: 0, endFrame: sound.frames });

describe("a finder of settings by what is done", () => {
  // The settings a render was made with are the reference; they are not told to the finder.
  it.each([
    { thresholdDb: -28, ratio: 3, kneeDb: 6, attackMs: 12, releaseMs: 150, makeupDb: 4 },
    { thresholdDb: -18, ratio: 8, kneeDb: 0, attackMs: 2, releaseMs: 60, makeupDb: 0 },
  ])("finds %o again", (settings) => {
    const dry = swells();
    const found = findDynamics(dry, through(dry, COMPRESSOR, settings), all(dry), COMPRESSOR);
    expect(foundDynamicsSchema.safeParse(found).success).toBe(true);
    expect(found.leftDb).toBeLessThan(0.1);
    expect(found.unreached).toEqual([]);
    const told = found.chain[0].settings as Record<string, number>;
    expect(Math.abs(told.thresholdDb - settings.thresholdDb)).toBeLessThan(1);
    expect(Math.abs(told.ratio / settings.ratio - 1)).toBeLessThan(0.1);
    expect(Math.abs(told.attackMs / settings.attackMs - 1)).toBeLessThan(0.15);
    expect(Math.abs(told.releaseMs / settings.releaseMs - 1)).toBeLessThan(0.1);
    expect(found.seconds).toHaveLength(found.wantedDb.length);
  });

  it("comes close to a processor of another kind on the guitar by what is done, and says what is left", () => {
    const guitar = soundOf(recording("guitar-48000"));
    const dry = stretch(guitar, { startFrame: 0, endFrame: Math.min(guitar.frames, 3 * 48_000) });
    const wanted = through(dry, "slow-leveller", { thresholdDb: -30 });
    const found = findDynamics(dry, wanted, all(dry), COMPRESSOR);
    expect(found.leftDb).toBeLessThan(0.6 * found.movesDb);
    const again = gainCourse(dry, through(dry, COMPRESSOR, found.chain[0].settings), all(dry)).gainDb;
    const own = gainCourse(dry, wanted, all(dry)).gainDb;
    const left = Array.from(own, (db, i) => db - again[i]).filter((db) => !Number.isNaN(db));
    // What it tells is what its settings do.
    expect(found.leftDb).toBeCloseTo(Math.sqrt(left.reduce((sum, v) => sum + v * v, 0) / left.length), 6);
    expect(found.mostLeftDb).toBeCloseTo(Math.max(...left.map(Math.abs)), 6);
    if (found.leftDb >= 0.15) expect(found.unreached.join(" ")).toMatch(/of the way/);
  });

  it("says so where there is no gain over time, none that follows level, or no sound at all", () => {
    const dry = swells(5, 2);
    const plain = findDynamics(dry, atGain(dry, 0.7), all(dry), COMPRESSOR);
    expect(plain.unreached.join(" ")).toMatch(/hardly changes/);
    const wobbled = soundOf({
      sampleRateHz: RATE,
      channels: dry.read(0, dry.frames).map((channel) => channel.map((v, i) => v * (1 + 0.7 * Math.sin(i / 190)))),
    });
    expect(findDynamics(dry, wobbled, all(dry), COMPRESSOR).unreached.join(" ")).toMatch(/No settings match/);
    const silence = soundOf({ sampleRateHz: RATE, channels: [new Float32Array(RATE)] });
    expect(findDynamics(silence, silence, all(silence), COMPRESSOR).unreached).toEqual(["The passage is silent here."]);
    expect(() => findDynamics(dry, dry, all(dry), "gain")).toThrow(RangeError);
  });

  it("has for every processor it knows only numbers that processor has, within its range", () => {
    for (const [key, ways] of Object.entries(DYNAMICS)) {
      const processor = processorOf(key);
      expect(processor).toBeDefined();
      for (const { fixed, quick, numbers, tried } of ways) {
        const usual = processor?.parameters.parse({}) as Record<string, unknown>;
        for (const name of [...numbers, ...Object.keys(fixed), ...Object.keys(quick ?? {})])
          expect(usual).toHaveProperty(name);
        for (const [name, values = []] of Object.entries(tried))
          for (const value of values)
            expect(processor?.parameters.safeParse({ ...fixed, [name]: value }).success).toBe(true);
      }
    }
  });
});
