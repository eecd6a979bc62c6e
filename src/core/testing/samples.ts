import { expect } from "vitest";

/** Samples that are the same to the bit are equal: said at once, where a walk over each of them takes seconds. */
expect.addEqualityTesters([
  (a: unknown, b: unknown) =>
    a instanceof Float32Array && b instanceof Float32Array && a.length === b.length
      ? bytes(a).equals(bytes(b)) || undefined
      : undefined,
]);

const bytes = (samples: Float32Array) => Buffer.from(samples.buffer, samples.byteOffset, samples.byteLength);
