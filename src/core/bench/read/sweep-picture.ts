import { z } from "zod";
import { dbFromPower } from "../../audio/decibels";
import { log } from "../../audio/exact-math";
import { forwardReal, powerOfTwoAtLeast } from "../../audio/fft";
import { kaiserAt, kaiserBeta } from "../../audio/window";
import type { Sweep } from "../signal/signal-plan";

/** Columns: what was sent, evenly from 0 to half the rate. Rows: what came back, the same way. */
export const PICTURE_COLUMNS = 192;
export const PICTURE_ROWS = 144;
/** What is quieter than this under the sweep is reported as this (dB). */
export const PICTURE_FLOOR_DB = -140;

export const sweepPictureSchema = z.object({
  sampleRateHz: z.number(),
  levelDbfs: z.number(),
  /** The sweep's frequency is e times higher after this. */
  growSeconds: z.number(),
  /** Column by column, each from 0 Hz up: the loudest line in a cell over the sweep's own level, whole dB. */
  levelsDb: z.array(z.number()).length(PICTURE_COLUMNS * PICTURE_ROWS),
});
/**
 * What comes back over what is sent, of one sweep. Its harmonics are straight lines through the origin, the steeper the higher their order; what
 * aliases is thrown down again from the upper edge. A picture: a line that climbs fast is reported some dB too low; tones tell figures.
 */
export type SweepPicture = z.infer<typeof sweepPictureSchema>;

/** Side lobes of the window lie this far down: under all that a picture is looked at for (dB). */
const SIDE_LOBES_DB = 130;
/** A window of w/√c seconds, c the sweep's speed in Hz/s, tells its line at its thinnest: shorter blurs by length, longer by movement. */
const WINDOW_TURNS = 2;
const LONGEST_SECONDS = 0.12;
const LEAST_POINTS = 32;
/** Transforms are this many times longer than their window at least, so that no line falls between two bins. */
const LONGER = 2;

/** Draws what came back of a sweep; `back` is aligned with what was sent. */
export function sweepPicture(sweep: Sweep, back: Float32Array, sampleRateHz: number): SweepPicture {
  const beta = kaiserBeta(SIDE_LOBES_DB);
  const levelsDb: number[] = [];
  for (let column = 0; column < PICTURE_COLUMNS; column++) {
    const hertz = sentHertz(column, sampleRateHz);
    const centre = sweep.startFrame + frameOf(sweep, hertz, sampleRateHz);
    const seconds = windowSeconds(hertz, sweep.growSeconds);
    const half = Math.max(LEAST_POINTS / 2, Math.round((seconds * sampleRateHz) / 2));
    const size = powerOfTwoAtLeast(Math.max(2 * PICTURE_ROWS, LONGER * 2 * half));
    const frames = new Float32Array(size);
    let sum = 0;
    for (let i = -half; i < half; i++) {
      const weight = kaiserAt(i / half, beta);
      sum += weight;
      frames[i + half] = weight * (back[centre + i] ?? 0);
    }
    const spectrum = forwardReal(frames, size);
    const rows = new Float64Array(PICTURE_ROWS);
    for (let k = 0; k <= size / 2; k++) {
      const row = Math.min(PICTURE_ROWS - 1, Math.floor((k * 2 * PICTURE_ROWS) / size));
      rows[row] = Math.max(rows[row], spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2);
    }
    for (const power of rows) {
      const db = dbFromPower((power * 4) / (sum * sum) + 1e-30) - sweep.levelDbfs;
      levelsDb.push(Math.max(PICTURE_FLOOR_DB, Math.round(db)));
    }
  }
  return { sampleRateHz, levelDbfs: sweep.levelDbfs, growSeconds: sweep.growSeconds, levelsDb };
}

const windowSeconds = (hertz: number, growSeconds: number): number =>
  Math.min(LONGEST_SECONDS, WINDOW_TURNS / Math.sqrt(hertz / growSeconds));

/** What was being sent in the middle of a column. */
export const sentHertz = (column: number, sampleRateHz: number): number =>
  ((column + 0.5) * sampleRateHz) / 2 / PICTURE_COLUMNS;

/** When a sweep is at a frequency, in frames from its start; its ends where that lies beyond it. */
function frameOf({ lowestHz, growSeconds, frames }: Sweep, hertz: number, sampleRateHz: number): number {
  const seconds = growSeconds * log(Math.max(1, hertz / lowestHz));
  return Math.min(frames, Math.round(seconds * sampleRateHz));
}

/** Where a frequency comes to lie when it is thrown back at half the rate and at nought. */
export function foldedHertz(hertz: number, sampleRateHz: number): number {
  const inside = hertz % sampleRateHz;
  return Math.min(inside, sampleRateHz - inside);
}

/** A stretch of sent frequencies over which an order is seen aliased, and how loud it gets over what was sent. */
export type Fold = { order: number; fromHz: number; toHz: number; levelDb: number };

export const PICTURE_ORDERS = [2, 3, 4, 5, 6, 7, 8, 9, 10] as const;
/** An alias has to stand so far over what lies beside it, over so many columns in a row (dB). */
const OVER_BESIDE_DB = 12;
const LEAST_COLUMNS = 4;
/** And has to move by so many times its own width meanwhile: other lines only cross it. */
const LEAST_WIDTHS = 3;
/** Rows beside a line that tell what lies there anyway. */
const BESIDE_ROWS = 12;
/** Beyond this part of the rate the sweep ends within the window: its end is heard at all frequencies. */
const HIGHEST_PART = 0.44;
/** Half the width of the window's main lobe, in parts of one over its length (Kaiser: √(1 + (β/π)²)). */
const LOBE = Math.sqrt(1 + (kaiserBeta(SIDE_LOBES_DB) / Math.PI) ** 2);

/** Where orders 2 to 10 are seen to alias, apart from harmonics and aliases of lower order. */
export function foldsSeen(picture: SweepPicture): Fold[] {
  const { sampleRateHz } = picture;
  const folds: Fold[] = [];
  for (const order of PICTURE_ORDERS) {
    let run = null as { from: number; levelDb: number } | null;
    for (let column = 0; column <= PICTURE_COLUMNS; column++) {
      const levelDb = column < PICTURE_COLUMNS ? foldAt(picture, order, column) : null;
      if (levelDb !== null) run = { from: run?.from ?? column, levelDb: Math.max(run?.levelDb ?? levelDb, levelDb) };
      else if (run) {
        const [fromHz, toHz] = [run.from, column - 1].map((c) => sentHertz(c, sampleRateHz));
        const moved = (order * (toHz - fromHz)) / rowHz(picture);
        if (column - run.from >= LEAST_COLUMNS && moved > LEAST_WIDTHS * widthAt(picture, order, (fromHz + toHz) / 2))
          folds.push({ order, fromHz, toHz, levelDb: run.levelDb });
        run = null;
      }
    }
  }
  return folds;
}

const rowHz = ({ sampleRateHz }: SweepPicture): number => sampleRateHz / 2 / PICTURE_ROWS;

/** Rows from the middle of an order's line to its edge: as wide as the window makes a line, and as far as it moves meanwhile. */
function widthAt(picture: SweepPicture, order: number, sent: number): number {
  const seconds = windowSeconds(sent, picture.growSeconds);
  const speed = (order * sent) / picture.growSeconds;
  return Math.ceil((LOBE / seconds + speed * (seconds / 2)) / rowHz(picture));
}

/** Level of an order that aliased in a column; null where it does not alias, lies on another line or cannot be distinguished from what is beside it. */
function foldAt(picture: SweepPicture, order: number, column: number): number | null {
  const { sampleRateHz, levelsDb } = picture;
  const sent = sentHertz(column, sampleRateHz);
  if (order * sent <= sampleRateHz / 2 || sent > HIGHEST_PART * sampleRateHz) return null;
  const rowOf = (o: number) =>
    Math.min(PICTURE_ROWS - 1, Math.floor(foldedHertz(o * sent, sampleRateHz) / rowHz(picture)));
  const others = [1, ...PICTURE_ORDERS]
    .filter((o) => o < order)
    .map((o) => ({ row: rowOf(o), width: widthAt(picture, o, sent) }));
  const isOther = (r: number) => others.some(({ row, width }) => Math.abs(row - r) <= width);
  const row = rowOf(order);
  if (isOther(row)) return null;
  const cell = (r: number) => levelsDb[column * PICTURE_ROWS + r] ?? PICTURE_FLOOR_DB;
  const own = widthAt(picture, order, sent);
  const beside: number[] = [];
  for (let r = row - own - BESIDE_ROWS; r <= row + own + BESIDE_ROWS; r++)
    if (r >= 0 && r < PICTURE_ROWS && Math.abs(r - row) > own && !isOther(r)) beside.push(cell(r));
  beside.sort((a, b) => a - b);
  const levelDb = Math.max(cell(row - 1), cell(row), cell(row + 1));
  return beside.length > 0 && levelDb - beside[beside.length >> 1] > OVER_BESIDE_DB ? levelDb : null;
}
