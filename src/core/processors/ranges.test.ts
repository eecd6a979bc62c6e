import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { z } from "zod";
import { frameCount, samplePeak } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { clipOf, soundOf } from "../audio/sound";
import { noise } from "../stimuli/signals";
import "../testing/samples";
import { PROCESSORS } from "./registry";

type Json = {
  type?: string;
  minimum?: number;
  maximum?: number;
  enum?: unknown[];
  const?: unknown;
  anyOf?: Json[];
  items?: Json;
  properties?: Record<string, Json>;
};

/** Any value that a form could hold: numbers over their whole range and at both ends of it. */
function anyOf(schema: Json): fc.Arbitrary<unknown> {
  if (schema.const !== undefined) return fc.constant(schema.const);
  if (schema.enum) return fc.constantFrom(...schema.enum);
  if (schema.anyOf) return fc.oneof(...schema.anyOf.map(anyOf));
  if (schema.type === "boolean") return fc.boolean();
  if (schema.type === "array") return fc.array(anyOf(schema.items ?? {}), { maxLength: 1 });
  if (schema.type === "object") {
    return fc.record(Object.fromEntries(Object.entries(schema.properties ?? {}).map(([k, s]) => [k, anyOf(s)])));
  }
  const { minimum = 0, maximum = 1 } = schema;
  const inside =
    schema.type === "integer"
      ? fc.integer({ min: minimum, max: maximum })
      : fc.double({ min: minimum, max: maximum, noNaN: true });
  return fc.oneof({ weight: 4, arbitrary: inside }, { weight: 1, arbitrary: fc.constantFrom(minimum, maximum) });
}

const RATES_HZ = [8000, 11_025, 44_100, 48_000, 96_000, 192_000, 384_000];

/** Decibels that settings ask for outright; what comes out may be as much louder. */
function askedDb(settings: unknown): number {
  if (Array.isArray(settings)) return settings.reduce((sum, part) => sum + askedDb(part), 0);
  if (typeof settings !== "object" || settings === null) return 0;
  return Object.entries(settings).reduce((sum, [key, value]) => {
    if (typeof value === "number" && /Db$/.test(key) && !/threshold|ceiling|knee|floor/i.test(key)) {
      return sum + Math.max(0, value);
    }
    return sum + askedDb(value);
  }, 0);
}

describe("every processor over its whole declared range, 8 to 384 kHz", () => {
  it.each(PROCESSORS.map((p) => [p.key, p] as const))(
    "%s stays finite, and within 40 dB of full scale and what was asked",
    (_, processor) => {
      const schema = z.toJSONSchema(processor.parameters, { io: "output" }) as Json;
      fc.assert(
        fc.property(
          anyOf(schema),
          fc.constantFrom(...RATES_HZ),
          fc.integer({ min: 1, max: 1e6 }),
          (given, rate, seed) => {
            const settings = processor.parameters.parse(given);
            const input = noise(Math.min(0.1, 4800 / rate), 1, seed, 2, rate);
            const output = processor.processClip(input, settings);
            expect(frameCount(output)).toBeGreaterThan(0);
            const peak = samplePeak(output);
            for (const channel of output.channels) expect(channel.every(Number.isFinite)).toBe(true);
            expect(peak).toBeLessThan(amplitudeFromDb(40 + askedDb(given)));
          },
        ),
        { numRuns: Number(process.env.PROPERTY_RUNS) || 40 },
      );
    },
  );

  it.each(PROCESSORS.map((p) => [p.key, p] as const))(
    "%s gives the same samples however it is read: forwards, backwards, over its blocks' borders and beyond its ends",
    (_, processor) => {
      const sound = soundOf(noise(2.5, 1.2, 11, 2, RATES_HZ[2]));
      const settings = processor.parameters.parse({
        ...(processor.parameters.shape.bands && { bands: [{ gainDb: 9 }], route: "side", autoMakeup: true }),
        ...(processor.parameters.shape.inputDb && { inputDb: 9 }),
        ...(processor.parameters.shape.lookAheadMs && { lookAheadMs: 10 }),
      });
      const key = processor.takesSidechain ? soundOf(noise(1, 1, 3, 1, RATES_HZ[2])) : undefined;
      const process = () => processor.process(sound, settings, { key });
      const whole = clipOf(process());
      const end = frameCount(whole);
      const pieces = process();
      for (const [from, count] of [
        [end - 100, 200],
        [-50, 40_000],
        [16_000, 700],
        [end - 20_000, 20_000],
        [100, 1],
        [33_000, 50_000],
        [0, end],
      ]) {
        const expected = soundOf(whole).read(from, count);
        for (const [c, channel] of pieces.read(from, count).entries()) expect(channel).toEqual(expected[c]);
      }
    },
  );

  it.each([
    [48_000, "high shelf", 11_093, 22.48, 3.4],
    [8000, "low shelf", 2109, -14.92, 16.8],
    [8000, "bell", 20_000, 12, 1],
    [8000, "high cut", 6000, 0, 1],
  ] as const)("the matched equalizer at %i Hz: %s %f Hz, %f dB, Q %f", (rate, kind, frequencyHz, gainDb, q) => {
    const processor = PROCESSORS.find((p) => p.key === "matched-equalizer");
    const settings = processor?.parameters.parse({ bands: [{ kind, frequencyHz, gainDb, q }] });
    const output = processor?.processClip(noise(1, 0.1, 3, 1, rate), settings as never);
    expect(output && samplePeak(output)).toBeLessThan(0.1 * amplitudeFromDb(40));
  });
});
