// Results as JSON: plain data as it is, arrays of numbers and what JSON has no words for under a mark of their own.

/** The key that marks such a value; no result has a field of this name. */
const MARK = "$is";

const ARRAYS = { Float32Array, Float64Array, Int32Array, Uint8Array } as const;
type ArrayName = keyof typeof ARRAYS;

const arrayName = (value: unknown): ArrayName | undefined =>
  (Object.keys(ARRAYS) as ArrayName[]).find((name) => value instanceof ARRAYS[name]);

const plainNumber = (value: number): unknown =>
  Number.isFinite(value) && !Object.is(value, -0)
    ? value
    : { [MARK]: "number", value: Object.is(value, -0) ? "-0" : String(value) };

/** A value as JSON text that `fromPlain` makes the same value of, to the last bit. Throws TypeError for what cannot be reported so, such as bytes. */
export function toPlain(value: unknown): unknown {
  if (typeof value === "number") return plainNumber(value);
  if (value === undefined) return { [MARK]: "undefined" };
  if (value === null || typeof value === "string" || typeof value === "boolean") return value;
  if (Array.isArray(value)) return value.map(toPlain);
  const name = arrayName(value);
  if (name) return { [MARK]: name, values: Array.from(value as Float64Array, plainNumber) };
  if (Object.getPrototypeOf(value) !== Object.prototype) throw new TypeError("only plain data can be written");
  return Object.fromEntries(Object.entries(value).map(([key, part]) => [key, toPlain(part)]));
}

/** The value that `toPlain` reported of. Throws where it is reported in another form, or lies deeper than the stack. */
export function fromPlain(value: unknown): unknown {
  if (typeof value !== "object" || value === null) return value;
  if (Array.isArray(value)) return value.map(fromPlain);
  const { [MARK]: mark, ...rest } = value as Record<string, unknown>;
  if (mark === "number") return Number(rest.value);
  if (mark === "undefined") return undefined;
  const name = (Object.keys(ARRAYS) as ArrayName[]).find((n) => n === mark);
  if (name) return ARRAYS[name].from((rest.values as unknown[]).map((v) => fromPlain(v) as number));
  return Object.fromEntries(Object.entries(value).map(([key, part]) => [key, fromPlain(part)]));
}
