import { scaleLinear } from "d3-scale";
import { useEffect, useReducer, useRef } from "react";
import { NOTHING, PIECE_COLUMNS, SPECTROGRAM_ROWS } from "@/core/spectrum/spectrogram";

/** Colours over levels: from `low` to `high` dB through a list of colours. */
export type Ramp = { low: number; high: number; colours: readonly string[] };

const STEPS = 256;

/** Reads "rgb(1, 2, 3)", as d3-scale writes it. */
function tableOf({ colours }: Ramp): Uint32Array {
  const colour = scaleLinear<string>(
    colours.map((_, i) => i / (colours.length - 1)),
    [...colours],
  );
  return Uint32Array.from({ length: STEPS }, (_, i) => {
    const [red, green, blue] = (colour(i / (STEPS - 1)).match(/\d+/g) ?? []).map(Number);
    return (255 << 24) | (blue << 16) | (green << 8) | red;
  });
}

/** What is painted: levels of one piece, or of two: the second over the first. */
export type Painting = {
  levels: Int16Array;
  over: Int16Array | null;
  /** Put on the levels, or on what they differ by, dB. */
  offsetDb: number;
  /** Of two: where both are under this there is nothing to hold against each other, dB; and what is put on either first. */
  floorDb: number;
  gainsDb: readonly [number, number];
};

/** A cell of a painting, dB; NaN where there is nothing. */
export function cellDb({ levels, over, offsetDb, floorDb, gainsDb }: Painting, i: number): number {
  if (!over) return levels[i] === NOTHING ? Number.NaN : levels[i] / 100 + offsetDb;
  const [first, second] = [levels[i] / 100 + gainsDb[0], over[i] / 100 + gainsDb[1]];
  if (Math.max(first, second) < floorDb || levels[i] === NOTHING || over[i] === NOTHING) return Number.NaN;
  return second - first;
}

/** A picture of cells, row by row from the top, as a data address: values through a ramp; what is no number lets the paper through. */
export function paintCells(
  columns: number,
  rows: number,
  ramp: Ramp,
  valueAt: (column: number, row: number) => number,
): string {
  const canvas = document.createElement("canvas");
  canvas.width = columns;
  canvas.height = rows;
  const context = canvas.getContext("2d");
  if (!context) return "";
  const image = context.createImageData(columns, rows);
  const pixels = new Uint32Array(image.data.buffer);
  const table = tableOf(ramp);
  const scale = (STEPS - 1) / (ramp.high - ramp.low);
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      const value = valueAt(column, row);
      if (Number.isNaN(value)) continue;
      pixels[row * columns + column] = table[Math.max(0, Math.min(STEPS - 1, Math.round((value - ramp.low) * scale)))];
    }
  }
  context.putImageData(image, 0, 0);
  return canvas.toDataURL();
}

const paint = (painting: Painting, ramp: Ramp): string =>
  paintCells(PIECE_COLUMNS, SPECTROGRAM_ROWS, ramp, (column, row) =>
    cellDb(painting, column * SPECTROGRAM_ROWS + SPECTROGRAM_ROWS - 1 - row),
  );

/** Pictures that are kept at the most. */
const MOST_KEPT = 120;

/** Pictures of paintings, made one at a time between other work; null where one is not made yet. */
export function useImages(wanted: readonly { key: string; painting: Painting }[], ramp: Ramp): (string | null)[] {
  const kept = useRef(new Map<string, { levels: Int16Array; over: Int16Array | null; url: string }>());
  const [, again] = useReducer((n: number) => n + 1, 0);
  const style = `${ramp.low} ${ramp.high} ${ramp.colours.join()}`;
  const keyOf = ({ key, painting }: (typeof wanted)[number]) =>
    `${key} ${style} ${painting.offsetDb} ${painting.floorDb} ${painting.gainsDb}`;
  const found = wanted.map((one) => {
    const known = kept.current.get(keyOf(one));
    const isSame = known?.levels === one.painting.levels && known.over === one.painting.over;
    return { one, url: known?.url ?? null, isSame };
  });
  const missing = found.find(({ isSame }) => !isSame)?.one;
  useEffect(() => {
    if (!missing) return;
    const timer = setTimeout(() => {
      const { levels, over } = missing.painting;
      const url = paint(missing.painting, ramp);
      const key = keyOf(missing);
      kept.current.delete(key);
      kept.current.set(key, { levels, over, url });
      for (const oldest of kept.current.keys()) {
        if (kept.current.size <= MOST_KEPT) break;
        kept.current.delete(oldest);
      }
      again();
    });
    return () => clearTimeout(timer);
  });
  return found.map(({ url }) => url);
}
