import { exp, log } from "../../audio/exact-math";
import { atRate } from "../../audio/resample";
import { clipOf, type FrameRange, type Sound, soundOf, stretch } from "../../audio/sound";
import { type GainCourse, gainCourse } from "../../dynamics/gain-course";
import type { Processor } from "../../processors/processor";
import { processorOf } from "../../processors/registry";
import { numberField, settingFields } from "../../processors/setting-fields";
import { decibels, number } from "../../words/units";
import { AS_GOOD_GAIN_DB, DYNAMICS, type FoundDynamics, type Way } from "./found-dynamics";
import { effective, fittedCurve, type Parameter } from "./least-squares";

/** Settings are looked for on so much of a passage, where its gain moves most; what went before runs in first. */
const FITTED_SECONDS = 5;
const RUN_IN_SECONDS = 1;
/** The first look is at a rate no lower than this, which levels are reported well by. */
const COARSE_HZ = 11_000;
/** Beginnings that are looked at closer, goes of each, and of the best at the full rate. */
const CLOSER = 6;
/** No more are looked at once one leaves no more than this (dB, effective), or two came to the same best end. */
const THERE_DB = 0.05;
const SAME_SHARE = 0.01;
const COARSE_GOES = 2;
const FINE_GOES = 2;
/** A step to feel the effect of a setting by: a part of its range, or of a time (which is fitted by its logarithm). */
const STEP_SHARE = 2e-3;
const LOG_STEP = 0.02;
/** Times of nought have no logarithm (ms). */
const SHORTEST_MS = 0.05;
/** A gain that moves by less than this over a passage is no gain over time (dB, effective). */
const MOVES_DB = 0.1;

type Pause = (share: number, doing: string) => void;
const isLog = (name: string) => name.endsWith("Ms") || name === "ratio";

/**
 * The settings of a compressor or limiter whose gain over time on a passage comes closest to that of a render, both aligned. Throws RangeError for a
 * processor that has none.
 */
export function findDynamics(
  dry: Sound,
  wanted: Sound,
  region: FrameRange,
  processorKey: string,
  pause: Pause = () => {},
): FoundDynamics {
  const processor = processorOf(processorKey);
  const ways = DYNAMICS[processorKey];
  if (!processor || !ways) throw new RangeError(`no gain over time is found for ${processorKey}`);
  pause(0, "Measuring gain over time");
  const target = gainCourse(dry, wanted, region);
  const { cellFrames, sampleRateHz } = target;
  const usual = { ...processor.parameters.parse({}) };
  const told = target.gainDb.filter((db) => !Number.isNaN(db));
  const mean = told.reduce((sum, v) => sum + v, 0) / told.length;
  const spread = effective(told.map((v) => v - mean));
  const course = (settings: object) =>
    gainCourse(dry, processor.process(dry, processor.parameters.parse(settings), {}), region).gainDb;
  if (told.length === 0) return nothing(processorKey, usual, target, course(usual), "The passage is silent here.");

  const part = busiest(target.gainDb, Math.round(FITTED_SECONDS / (cellFrames / sampleRateHz)));
  const startFrame = region.startFrame + part.from * cellFrames;
  const endFrame = region.startFrame + part.to * cellFrames;
  const runIn = Math.min(startFrame, Math.round(RUN_IN_SECONDS * sampleRateHz));
  const range = { startFrame: startFrame - runIn, endFrame };
  const fine = stageOf(processor, stretch(dry, range), stretch(wanted, range), runIn, false);
  const factor = Math.max(1, Math.floor(sampleRateHz / COARSE_HZ));
  const coarse =
    factor === 1
      ? fine
      : stageOf(
          processor,
          atRate(stretch(dry, range), sampleRateHz / factor),
          atRate(stretch(wanted, range), sampleRateHz / factor),
          Math.round(runIn / factor),
          true,
        );
  const begun = ways.flatMap((way) => beginnings(processor, way).map((values) => ({ way, values })));
  const looked = begun.map(({ way, values }, i) => {
    pause((0.25 * i) / begun.length, "Trying beginnings");
    return { way, values, rms: coarse.misfit(way, values) };
  });
  // The best of each way first, so that none is left out by a poor beginning.
  const closest = looked.toSorted((a, b) => a.rms - b.rms);
  const best = [...new Set([...ways.flatMap((way) => closest.find((l) => l.way === way) ?? []), ...closest])];
  const tried = best.slice(0, Math.max(CLOSER, ways.length));
  const closer: { way: Way; values: number[]; rms: number }[] = [];
  for (const [i, { way, values }] of tried.entries()) {
    pause(0.25 + (0.35 * i) / tried.length, "Coming closer");
    const fitted = coarse.fitted(way, values, COARSE_GOES);
    closer.push({ way, ...fitted });
    const isFoundAgain = closer.some((c, n) => n < i && Math.abs(c.rms - fitted.rms) < SAME_SHARE * c.rms);
    if (fitted.rms < THERE_DB || (isFoundAgain && closer.every(({ rms }) => rms >= (1 - SAME_SHARE) * fitted.rms)))
      break;
  }
  const winner = closer.reduce((a, b) => (b.rms < a.rms ? b : a));
  pause(0.6, "Fitting at the full rate");
  const { values } = fine.fitted(winner.way, winner.values, FINE_GOES);
  pause(0.9, "Checking the whole passage");
  const settings = settingsOf(processor, winner.way, values, true);
  const found = course(settings);
  const left = Array.from(target.gainDb, (db, i) => db - found[i]);
  const judged = left.map((_, i) => i).filter((i) => !Number.isNaN(left[i]));
  const leftDb = effective(judged.map((i) => left[i]));
  const most = judged.reduce((top, i) => (Math.abs(left[i]) > Math.abs(left[top]) ? i : top), judged[0]);
  return {
    ...shown(target, found),
    chain: [{ processorKey, settings }],
    leftDb,
    mostLeftDb: Math.abs(left[most]),
    mostLeftSeconds: secondsAt(target, most),
    movesDb: spread,
    unreached: reasonsOf(processor, winner.way, settings, target.gainDb, left, { leftDb, spreadDb: spread }),
  };
}

const secondsAt = ({ startFrame, cellFrames, sampleRateHz }: GainCourse, cell: number) =>
  (startFrame + (cell + 0.5) * cellFrames) / sampleRateHz;

/** Courses as they are drawn: no more cells than this. */
const MOST_SHOWN = 4000;

function shown(target: GainCourse, found: Float64Array) {
  const every = Math.ceil(target.gainDb.length / MOST_SHOWN);
  const places = Array.from({ length: Math.floor(target.gainDb.length / every) }, (_, n) => n * every);
  const pick = (values: Float64Array) =>
    places.map((i) => (Number.isNaN(values[i]) ? null : Number(values[i].toFixed(3))));
  return { seconds: places.map((i) => secondsAt(target, i)), wantedDb: pick(target.gainDb), foundDb: pick(found) };
}

const nothing = (
  processorKey: string,
  settings: Record<string, unknown>,
  target: GainCourse,
  found: Float64Array,
  reason: string,
): FoundDynamics => ({
  ...shown(target, found),
  chain: [{ processorKey, settings }],
  leftDb: 0,
  mostLeftDb: 0,
  mostLeftSeconds: 0,
  movesDb: 0,
  unreached: [reason],
});

/** The stretch over which a gain moves most, or all there is. */
function busiest(gainDb: Float64Array, cells: number): { from: number; to: number } {
  if (gainDb.length <= cells) return { from: 0, to: gainDb.length };
  let best = { from: 0, moved: -1 };
  const step = Math.max(1, Math.floor(cells / 8));
  for (let from = 0; from + cells <= gainDb.length; from += step) {
    let moved = 0;
    for (let i = from + 1; i < from + cells; i++) {
      const change = Math.abs(gainDb[i] - gainDb[i - 1]);
      if (!Number.isNaN(change)) moved += change;
    }
    if (moved > best.moved) best = { from, moved };
  }
  return { from: best.from, to: best.from + cells };
}

/** One stretch in memory at one rate, to try settings on. */
function stageOf(processor: Processor, dry: Sound, wanted: Sound, runIn: number, isQuick: boolean) {
  const sound = soundOf(clipOf(dry));
  const region = { startFrame: runIn, endFrame: sound.frames };
  const target = gainCourse(sound, soundOf(clipOf(wanted)), region).gainDb;
  const places = Array.from(target, (_, i) => i).filter((i) => !Number.isNaN(target[i]));
  const goal = places.map((i) => target[i]);
  const curve = (way: Way, values: readonly number[]) => {
    const settings = { ...settingsOf(processor, way, values, false), ...(isQuick ? way.quick : {}) };
    const wet = processor.process(sound, processor.parameters.parse(settings), {});
    const { gainDb } = gainCourse(sound, wet, region);
    return places.map((i) => gainDb[i]);
  };
  return {
    misfit: (way: Way, values: readonly number[]) => effective(curve(way, values).map((db, i) => db - goal[i])),
    fitted: (way: Way, start: readonly number[], goes: number) =>
      fittedCurve(
        boundsOf(processor, way).map(
          ({ name, least, most }, n): Parameter => ({
            start: start[n],
            lowest: least,
            highest: most,
            step: isLog(name) ? LOG_STEP : STEP_SHARE * (most - least),
          }),
        ),
        goal,
        (values) => curve(way, values),
        { goes, isForward: !isQuick },
      ),
  };
}

/** Bounds of what is fitted, times and ratios by their logarithm. */
function boundsOf(processor: Processor, way: Way) {
  const fields = settingFields(processor.parameters);
  return way.numbers.map((name) => {
    const field = numberField(fields, name);
    const inLog = (value: number) => log(Math.max(SHORTEST_MS, value));
    return isLog(name)
      ? { name, least: inLog(field.least), most: inLog(field.most) }
      : { name, least: field.least, most: field.most };
  });
}

/** Settings of fitted values; rounded as a panel shows them where they are to be kept. */
function settingsOf(processor: Processor, way: Way, values: readonly number[], isRounded: boolean) {
  const fields = settingFields(processor.parameters);
  const numbers = way.numbers.map((name, n) => {
    const field = numberField(fields, name);
    const value = Math.min(field.most, Math.max(field.least, isLog(name) ? exp(values[n]) : values[n]));
    return [name, isRounded ? Number(isLog(name) ? value.toPrecision(3) : value.toFixed(2)) : value];
  });
  return processor.parameters.parse({ ...way.fixed, ...Object.fromEntries(numbers) });
}

/** Where a search begins: every choice of a few values for each number that decides, the others as they stand by default. */
function beginnings(processor: Processor, way: Way): number[][] {
  const usual: Record<string, unknown> = processor.parameters.parse({});
  const bounds = boundsOf(processor, way);
  return way.numbers.reduce<number[][]>(
    (all, name, n) => {
      const tried = (way.tried[name] ?? [Number(usual[name])]).map((value) =>
        Math.min(bounds[n].most, Math.max(bounds[n].least, isLog(name) ? log(Math.max(SHORTEST_MS, value)) : value)),
      );
      return all.flatMap((values) => tried.map((value) => [...values, value]));
    },
    [[]],
  );
}

/** Why what remains is left: a gain that does not move, settings at the end of their range, or another rule on one of its ways. */
function reasonsOf(
  processor: Processor,
  way: Way,
  settings: Record<string, unknown>,
  wanted: Float64Array,
  left: readonly number[],
  { leftDb, spreadDb }: { leftDb: number; spreadDb: number },
): string[] {
  if (spreadDb < MOVES_DB)
    return [
      `The target gain hardly changes on this passage (${decibels(spreadDb, "dB", 2)}): constant gain is enough.`,
    ];
  if (leftDb < AS_GOOD_GAIN_DB) return [];
  const reasons = settingFields(processor.parameters).flatMap((field) => {
    if (field.form !== "number" || !way.numbers.includes(field.name)) return [];
    const value = Number(settings[field.name]);
    const isEnd = isLog(field.name)
      ? value <= Math.max(field.least, SHORTEST_MS) * NEAR_END || value >= field.most / NEAR_END
      : value - field.least < END_DB || field.most - value < END_DB;
    // A knee of nought and the like are settings as good as any.
    return isEnd && !(value === 0 || field.name === "kneeDb")
      ? [`${field.label} is at the limit of its range (${number(value, value < 10 ? 1 : 0)} ${field.unit}).`]
      : [];
  });
  const moving = (sign: 1 | -1) => {
    const places = left.map((_, i) => i).filter((i) => i > 0 && sign * (wanted[i] - wanted[i - 1]) > LEAST_MOVE_DB);
    return effective(places.map((i) => left[i]).filter((v) => !Number.isNaN(v)));
  };
  const [back, down] = [moving(1), moving(-1)];
  const where =
    back > OTHER_WAY * down
      ? "in the release: it follows another rule"
      : down > OTHER_WAY * back
        ? "in the attack: it follows another rule"
        : "in attack and release: another sidechain signal or static curve";
  const taken = Math.max(0, 100 * (1 - leftDb / spreadDb));
  if (taken < LEAST_TAKEN)
    return [`No settings match: the target gain does not follow level (${number(taken, 0)} % explained).`];
  return [...reasons, `${number(taken, 0)} % of the gain is explained. The residual is ${where}.`];
}
/** A setting this near the end of its range stands there: a share of a time or ratio, dB of a level. */
const NEAR_END = 1.02;
const END_DB = 0.05;
/** Gain moves where it changes by more from cell to cell (dB); one way is the worse by so many times. */
const LEAST_MOVE_DB = 0.05;
const OTHER_WAY = 1.6;
/** Settings that take less than this off tell nothing (percent). */
const LEAST_TAKEN = 30;
