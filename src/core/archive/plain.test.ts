import * as fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fromPlain, toPlain } from "./plain";

const through = (value: unknown): unknown => fromPlain(JSON.parse(JSON.stringify(toPlain(value))));

describe("results as JSON", () => {
  it("come back to the last bit: every double, every array of numbers, what has no figure", () => {
    const numbers = fc.oneof(fc.double(), fc.constantFrom(-0, Number.NaN, Number.POSITIVE_INFINITY, Number.MIN_VALUE));
    const leaf = fc.oneof(
      numbers,
      fc.string(),
      fc.boolean(),
      fc.constant(null),
      fc.float64Array(),
      fc.float32Array(),
      fc.int32Array(),
    );
    const value = fc.letrec((tie) => ({
      any: fc.oneof(
        leaf,
        fc.array(tie("any"), { maxLength: 4 }),
        fc.dictionary(fc.stringMatching(/^[a-z]+$/), tie("any"), { noNullPrototype: true }),
      ),
    })).any;
    fc.assert(
      fc.property(value, (given) => {
        expect(through(given)).toEqual(given);
      }),
    );
  });

  it("are refused where they are not plain data", () => {
    expect(() => toPlain({ bytes: new Blob(["x"]) })).toThrow(TypeError);
  });
});
