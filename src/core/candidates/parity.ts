import type { SettingLine } from "./candidate";

/** Thousands and thousandths of the units that are written both ways, and what they come to. */
const SCALES: Record<string, { unit: string; factor: number }> = {
  khz: { unit: "hz", factor: 1000 },
  s: { unit: "ms", factor: 1000 },
  µs: { unit: "ms", factor: 0.001 },
  us: { unit: "ms", factor: 0.001 },
  x: { unit: "×", factor: 1 },
};

/** A value read as a number of its base unit, or as plain words when it is none: "4 kHz" is 4000 hz. */
export type Quantity = { number: number; unit: string } | { words: string };

/** Reads a value as people write it: decimal comma or point, real minus, "k" after the number, unit in either place. */
export function quantityOf({ value, unit }: Pick<SettingLine, "value" | "unit">): Quantity {
  const text = value.trim().replace("−", "-").replace(",", ".");
  const parts = /^([+-]?\d*\.?\d+)\s*(k?)\s*(.*)$/i.exec(text);
  if (!parts) return { words: text.toLowerCase() };
  const [, digits, thousand, rest] = parts;
  // "4k" of a field in Hz; "4 kHz" spells the unit itself.
  const written = `${thousand}${rest}`.trim().toLowerCase();
  const own = unit.trim().toLowerCase();
  const onlyThousand = written === "k";
  const named = onlyThousand ? own : written || own;
  const scale = SCALES[named] ?? { unit: named, factor: 1 };
  return { number: Number(digits) * scale.factor * (onlyThousand ? 1000 : 1), unit: scale.unit };
}

const SAME_WITHIN = 1e-6;

function sameQuantity(a: Quantity, b: Quantity): boolean {
  if ("words" in a || "words" in b) return "words" in a && "words" in b && a.words === b.words;
  const largest = Math.max(Math.abs(a.number), Math.abs(b.number));
  return a.unit === b.unit && Math.abs(a.number - b.number) <= SAME_WITHIN * largest;
}

export type ParityRow = {
  parameter: string;
  /** One for each candidate, in the order given; null where the candidate does not say. */
  lines: (SettingLine | null)[];
  /** "given by some": at least one does not say, and those that do agree. */
  state: "equal" | "unequal" | "given by some";
};

const nameOf = (line: SettingLine): string => line.parameter.trim().toLowerCase();

/**
 * The settings of several candidates side by side, one row a parameter in the order they are first met. Equality is of
 * what is meant: 4 kHz and 4000 Hz are equal, so are 0.1 s and 100 ms. A parameter said twice gives two rows.
 */
export function parityOf(candidates: readonly (readonly SettingLine[])[]): ParityRow[] {
  const rows: ParityRow[] = [];
  const known = new Map<string, ParityRow>();
  candidates.forEach((lines, column) => {
    const met = new Map<string, number>();
    for (const line of lines) {
      const name = nameOf(line);
      const time = met.get(name) ?? 0;
      met.set(name, time + 1);
      const key = `${name}#${time}`;
      let row = known.get(key);
      if (!row) {
        row = { parameter: line.parameter.trim(), lines: candidates.map(() => null), state: "equal" };
        known.set(key, row);
        rows.push(row);
      }
      row.lines[column] = line;
    }
  });
  for (const row of rows) {
    const told = row.lines.filter((line) => line !== null);
    const [first, ...others] = told.map(quantityOf);
    if (others.some((other) => !sameQuantity(first, other))) row.state = "unequal";
    else if (told.length < candidates.length) row.state = "given by some";
  }
  return rows;
}
