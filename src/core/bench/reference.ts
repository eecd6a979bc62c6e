import { dbFromPower } from "../audio/decibels";
import { hypot, pow } from "../audio/exact-math";
import { fail, type Outcome, succeed } from "../outcome";
import { benchSentences } from "../words/bench";
import { fittedBands } from "./find/fit-bands";
import { effective } from "./find/least-squares";
import type { BenchReport, BenchTone, ChannelFigures } from "./report";

/** Noise that is no louder than this over the loop's own is the loop's (dB). */
const LOOP_NOISE_DB = 1;
/** A harmonic counts that stands so far over the loop's own at the same level (dB). */
const OVER_LOOP_DB = 6;
/** A curve that stays within this, or three errors, has no bands (dB); bands are told that leave less (dB). */
const FLAT_DB = 0.05;
const FITS_DB = 0.5;

/** What can be taken off a recording: what the same signal reported of a loop without the processor. */
export type LoopBack = { title: string; report: BenchReport };

/**
 * A measurement with a loop-back's delay, response and noise taken off. Both recordings have to hold the same signal, and to begin at the same moment of
 * playback, as a host's recordings do.
 */
export function withReference(report: BenchReport, { title, report: loop }: LoopBack): Outcome<BenchReport> {
  const isSame = JSON.stringify(report.signal) === JSON.stringify(loop.signal);
  if (!isSame)
    return fail(
      `${title} holds another test signal and cannot be the loop-back.`,
      "Record both with the same exported signal.",
    );
  // Against the same channel of the loop: what is reported first may be its right one.
  const first = loop.channels.find(({ channel }) => channel === report.channels[0]?.channel);
  const latency =
    report.arrivalSamples !== null && loop.arrivalSamples !== null
      ? report.arrivalSamples - loop.arrivalSamples - (first?.delaySamples ?? 0)
      : null;
  const rate = report.signal.sampleRateHz;
  const figures = corrected(report, first?.figures ?? loop, latency, rate);
  const channels = report.channels.map((channel) => {
    if (!channel.figures) return channel;
    const own = loop.channels.find((c) => c.channel === channel.channel)?.figures ?? loop;
    return {
      ...channel,
      figures: corrected(
        channel.figures,
        own,
        latency === null || channel.delaySamples === null ? null : latency + channel.delaySamples,
        rate,
      ),
    };
  });
  const facts: Omit<BenchReport, "sentences"> = {
    ...report,
    ...figures,
    channels,
    hum: loop.hum ? null : report.hum,
    withheld: [
      ...report.withheld.filter(({ figure }) => figure !== "latency" || latency === null),
      ...(figures.noiseFloorDbfs === null && report.noiseFloorDbfs !== null
        ? [{ figure: "noise" as const, channel: null, reason: "loopBack" as const }]
        : []),
    ],
    remarks: [...report.remarks, `Loop-back ${title} removed: its latency, response and noise.`],
  };
  return succeed({ ...facts, sentences: benchSentences(facts) });
}

function corrected(
  figures: ChannelFigures,
  loop: ChannelFigures,
  latencySamples: number | null,
  rate: number,
): ChannelFigures {
  const { response } = figures;
  const minus = (a: readonly number[], b: readonly number[]) => a.map((v, i) => v - (b[i] ?? 0));
  const magnitudeDb = minus(response.magnitudeDb, loop.response.magnitudeDb);
  const errorDb = response.errorDb.map((e, i) => hypot(e, loop.response.errorDb[i] ?? 0));
  const known = effective(errorDb.map((e) => Math.min(1, e)));
  const hasBands = figures.fitted.length > 0 || loop.fitted.length > 0 || figures.kind.name === "equalizer";
  const fit = fittedBands(response.hertz, magnitudeDb, rate, {
    flatDb: hasBands ? Math.max(FLAT_DB, 3 * known) : Number.POSITIVE_INFINITY,
    enoughDb: known,
  });
  const isFitted = fit.misfitDb < FITS_DB;
  const noise = figures.noiseFloorDbfs;
  const loopNoise = loop.noiseFloorDbfs;
  const ownNoise =
    noise === null || loopNoise === null
      ? noise
      : noise < loopNoise + LOOP_NOISE_DB
        ? null
        : dbFromPower(pow(10, noise / 10) - pow(10, loopNoise / 10));
  return {
    ...figures,
    latencySamples,
    latencyErrorSamples: figures.latencyErrorSamples + loop.latencyErrorSamples,
    polarity: figures.polarity === loop.polarity ? 1 : -1,
    gainDbAt1k: figures.gainDbAt1k - loop.gainDbAt1k,
    noiseFloorDbfs: ownNoise,
    response: {
      ...response,
      magnitudeDb,
      errorDb,
      phaseDegrees: minus(response.phaseDegrees, loop.response.phaseDegrees),
      groupDelayMs: minus(response.groupDelayMs, loop.response.groupDelayMs),
    },
    levels: figures.levels.map((level) => {
      const own = loop.levels.find(({ levelDbfs }) => levelDbfs === level.levelDbfs) ?? loop.levels[0];
      return { ...level, magnitudeDb: minus(level.magnitudeDb, own?.magnitudeDb ?? []) };
    }),
    static: curveOver(figures.static, loop.gainDbAt1k),
    staticOnSine: curveOver(figures.staticOnSine, loop.gainDbAt1k),
    fitted: isFitted ? fit.bands : [],
    fittedGainDb: fit.gainDb,
    fitMisfitDb: fit.misfitDb,
    fitMostDb: fit.mostDb,
    realised: isFitted ? fit.realised : null,
    harmonics: figures.harmonics.map((tone) => overLoop(tone, loop.harmonics)),
    highTones: figures.highTones.map((tone) => overLoop(tone, loop.highTones)),
    aliasDb:
      figures.aliasDb !== null && loop.aliasDb !== null && figures.aliasDb < loop.aliasDb + OVER_LOOP_DB
        ? null
        : figures.aliasDb,
  };
}

/** A static curve without the loop's own gain. */
const curveOver = (staticCurve: ChannelFigures["static"], loopGainDb: number): ChannelFigures["static"] =>
  staticCurve && {
    ...staticCurve,
    gainDb: staticCurve.gainDb - loopGainDb,
    points: staticCurve.points.map(({ inDbfs, outDbfs }) => ({ inDbfs, outDbfs: outDbfs - loopGainDb })),
  };

/** A tone whose harmonics are those the loop does not have by itself. */
function overLoop(tone: BenchTone, loop: readonly BenchTone[]): BenchTone {
  const own = loop.find((t) => Math.abs(t.hertz - tone.hertz) < 0.5 && t.levelDbfs === tone.levelDbfs);
  if (!own) return tone;
  const partialsDb = tone.partialsDb.map((db, i) => {
    const other = own.partialsDb[i];
    return db !== null && other !== null && db < other + OVER_LOOP_DB ? null : db;
  });
  const power = partialsDb.reduce<number>((sum, db) => sum + (db === null ? 0 : pow(10, db / 10)), 0);
  return { ...tone, partialsDb, thdPercent: power > 0 ? 100 * Math.sqrt(power) : null };
}
