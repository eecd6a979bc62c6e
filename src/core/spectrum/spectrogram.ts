import { z } from "zod";
import { dbFromPower } from "../audio/decibels";
import { pow } from "../audio/exact-math";
import { forwardWindowed } from "../audio/fft";
import { type Sound, withPages } from "../audio/sound";
import { hannWindow } from "../audio/window";

/** Raise when a spectrogram would come out differently. */
export const SPECTROGRAM_VERSION = 1;

/** Rows of a spectrogram, and columns of one piece of it. */
export const SPECTROGRAM_ROWS = 256;
export const PIECE_COLUMNS = 256;
/** A cell in which there is nothing. */
export const NOTHING = -32_768;
/** Levels are kept as hundredths of a dB, no lower than this. */
const LOWEST_DB = -200;
const HUNDREDTHS = 100;
/** One column of so many is looked at first. */
const FIRST_STEP = 4;
/** Lowest frequency where rows stand by their logarithm. */
const LOWEST_HZ = 20;
/** A row is no narrower than so many bins: a tone fills three of them. */
const LEAST_BINS = 3;

/** Which piece of a spectrogram: columns of equal length from a frame on. */
export type SpectrogramAsk = {
  startFrame: number;
  columnFrames: number;
  points: number;
  isLog: boolean;
};

/** Levels in hundredths of a dB, column by column, lowest row first; `isPartial` where each column was only looked at in its middle. */
export const spectrogramSchema = z.object({ levels: z.instanceof(Int16Array), isPartial: z.boolean() });
export type SpectrogramPiece = z.infer<typeof spectrogramSchema>;

/** Edges of the rows in Hz, lowest first: to half the rate. */
export function rowEdges(rateHz: number, isLog: boolean): Float64Array {
  const top = rateHz / 2;
  return Float64Array.from({ length: SPECTROGRAM_ROWS + 1 }, (_, r) =>
    isLog ? LOWEST_HZ * pow(top / LOWEST_HZ, r / SPECTROGRAM_ROWS) : (top * r) / SPECTROGRAM_ROWS,
  );
}

/**
 * A piece of a spectrogram: Hann segments of `points`, half overlapped where a column is longer than one, their powers averaged over the column and the
 * channels, and summed over each row. A full-scale sine reads 0 dB. What lies outside the sound is nothing. First the middle of every fourth column is looked
 * at, which stands for its neighbours in what is handed to `onPart`; then all of it.
 */
export function spectrogramPiece(
  source: Sound,
  { startFrame, columnFrames, points, isLog }: SpectrogramAsk,
  onPart: (share: number, soFar: () => SpectrogramPiece) => void = () => {},
): SpectrogramPiece {
  // Where columns are short, neighbours are read at once.
  const sound = columnFrames > points ? source : withPages(source);
  const window = hannWindow(points);
  const rows = rowsIn(sound.sampleRateHz, points, isLog);
  const sums = new Float64Array(PIECE_COLUMNS * SPECTROGRAM_ROWS);
  const counts = new Float64Array(PIECE_COLUMNS);
  const segments = Math.max(1, Math.round(columnFrames / (points / 2)));
  const before = new Float64Array(points / 2 + 2);
  const single = new Float32Array(points);
  // Mean squares add up over the bins; a full-scale sine, whose is a half, is to read nought.
  const scale = 4 / ((3 / 8) * points * points * sound.channelCount);
  const addSegment = (channels: readonly Float32Array[], at: number, column: number) => {
    counts[column]++;
    for (const channel of channels) {
      single.set(channel.subarray(at, at + points));
      const spectrum = forwardWindowed(single, window);
      for (let k = 0; k <= points / 2; k++)
        before[k + 1] = before[k] + spectrum[2 * k] * spectrum[2 * k] + spectrum[2 * k + 1] * spectrum[2 * k + 1];
      for (let r = 0; r < SPECTROGRAM_ROWS; r++) {
        const [from, to] = [rows[2 * r], rows[2 * r + 1]];
        sums[column * SPECTROGRAM_ROWS + r] += upTo(before, to) - upTo(before, from);
      }
    }
  };
  const soFar = (isPartial: boolean): SpectrogramPiece => {
    const levels = new Int16Array(sums.length).fill(NOTHING);
    for (let column = 0; column < PIECE_COLUMNS; column++) {
      const known = counts[column] > 0 ? column : column - (column % FIRST_STEP);
      for (let r = 0; r < SPECTROGRAM_ROWS; r++) {
        const i = known * SPECTROGRAM_ROWS + r;
        if (sums[i] > 0 && isInside(column))
          levels[column * SPECTROGRAM_ROWS + r] = Math.round(
            HUNDREDTHS * Math.max(LOWEST_DB, dbFromPower((sums[i] * scale) / counts[known])),
          );
      }
    }
    return { levels, isPartial };
  };
  const startOf = (column: number, segment: number) =>
    Math.round(startFrame + (column + (segment + 0.5) / segments) * columnFrames - points / 2);
  const isInside = (column: number) => {
    const from = startFrame + column * columnFrames;
    return from < sound.frames && from + columnFrames > 0;
  };
  const middle = Math.floor(segments / 2);
  for (let column = 0; column < PIECE_COLUMNS; column += FIRST_STEP)
    if (isInside(column)) addSegment(sound.read(startOf(column, middle), points), 0, column);
  onPart(0, () => soFar(true));
  for (let column = 0; column < PIECE_COLUMNS; column++) {
    const isBegun = counts[column] > 0;
    if (!isInside(column) || (isBegun && segments === 1)) continue;
    const first = startOf(column, 0);
    const read = sound.read(first, startOf(column, segments - 1) + points - first);
    for (let s = 0; s < segments; s++)
      if (!(isBegun && s === middle)) addSegment(read, startOf(column, s) - first, column);
    onPart((column + 1) / PIECE_COLUMNS, () => soFar(true));
  }
  return soFar(false);
}

/** From where to where each row reaches, in places among the bins: bin k from k to k + 1. */
function rowsIn(rateHz: number, points: number, isLog: boolean): Float64Array {
  const binHz = rateHz / points;
  const edges = rowEdges(rateHz, isLog);
  const places = new Float64Array(2 * SPECTROGRAM_ROWS);
  for (let r = 0; r < SPECTROGRAM_ROWS; r++) {
    const [from, to] = [edges[r] / binHz + 0.5, edges[r + 1] / binHz + 0.5];
    const [middle, half] = [(from + to) / 2, Math.max(LEAST_BINS, to - from) / 2];
    places[2 * r] = Math.max(0, middle - half);
    places[2 * r + 1] = Math.min(points / 2 + 1, middle + half);
  }
  return places;
}

function upTo(before: Float64Array, place: number): number {
  const k = Math.min(before.length - 2, Math.floor(place));
  return before[k] + (place - k) * (before[k + 1] - before[k]);
}
