// npm run trial -- bench: what the bench says of processors and faults whose truth is known.
import { soundOf } from "@/core/audio/sound";
import { benchRecording } from "@/core/bench/bench";
import type { BenchReport, ChannelFigures } from "@/core/bench/report";
import { testSignal } from "@/core/bench/signal/signal";
import { DEFAULT_FORM, signalPlan } from "@/core/bench/signal/signal-plan";
import { type BenchProcessor, type BenchTruth, benchProcessors } from "./bench-cases";
import { wire } from "./bench-effects";
import { type Fault, faults, noises } from "./bench-faults";
import { moreProcessors } from "./bench-more-cases";

type Verdict = "right" | "withheld" | "wrong";
/** A processor on one side beside a wire, on both, or beside another one. */
type Sides = "both" | "left" | "right" | "pairs";
/** In `pairs` a processor on the left stands beside the one so many further on the right: of another group, and each is on each side once. */
const PAIRED_WITH = 53;

const near = (is: number, was: number, dB: number) => Math.abs(is - was) <= dB;
const share = (is: number, was: number, part: number) => Math.abs(is / was - 1) <= part;

/** A band that is reported with an error may be off by so many standard deviations. */
const TOLD_ERRORS = 3;

/** A figure beside its truth, and the standard deviation it is reported with. */
type Off = { figure: string; is: number; was: number; error: number };

/** What is wrong with a channel's figures, what remains out that has an answer, and how far figures are off. */
function judgeChannel(
  truth: BenchTruth,
  figures: ChannelFigures,
  told: { noise: string; gainDb: number },
): { wrong: string[]; open: string[]; off: Off[] } {
  const wrong: string[] = [];
  const open: string[] = [];
  const off: Off[] = [];
  const note = (
    figure: string,
    is: number | null | undefined,
    was: number | undefined,
    error: number | null | undefined,
  ) => {
    if (is != null && was !== undefined && error != null) off.push({ figure, is, was, error });
  };
  const { kind, static: staticCurve, times, fitted, harmonics } = figures;
  if (kind.name === "unknown") {
    if (!truth.kinds.includes("unknown")) open.push("kind");
  } else if (!truth.kinds.includes(kind.name)) wrong.push(`kind ${kind.name}`);
  if (truth.polarity && figures.polarity !== truth.polarity) wrong.push("polarity");
  if (
    truth.gainDb !== undefined &&
    !near(figures.gainDbAt1k, truth.gainDb + told.gainDb, 0.05 + (told.noise === "noise -50" ? 0.05 : 0))
  )
    wrong.push(`gain ${figures.gainDbAt1k}`);
  const hasStaticCurve = staticCurve?.thresholdDbfs != null && staticCurve.ratio !== null;
  if (truth.noStaticCurve && hasStaticCurve)
    wrong.push(`law ${staticCurve.thresholdDbfs?.toFixed(1)} ${staticCurve.ratio?.toFixed(1)}:1`);
  if (truth.threshold !== undefined) {
    if (!hasStaticCurve && !truth.isStaticCurveOpen) open.push("law");
    else if (hasStaticCurve && !near(staticCurve.thresholdDbfs ?? 0, truth.threshold, 1))
      wrong.push(`threshold ${staticCurve.thresholdDbfs?.toFixed(2)}`);
  } else if (hasStaticCurve)
    wrong.push(`law without truth ${staticCurve.thresholdDbfs?.toFixed(1)} ${staticCurve.ratio?.toFixed(1)}:1`);
  if (
    truth.ratio !== undefined &&
    hasStaticCurve &&
    !(truth.ratio >= 20 ? (staticCurve.ratio ?? 0) > 14 : share(staticCurve.ratio ?? 0, truth.ratio, 0.1))
  )
    wrong.push(`ratio ${staticCurve.ratio?.toFixed(2)}`);
  if (hasStaticCurve && staticCurve.kneeDb !== null && !near(staticCurve.kneeDb, truth.kneeDb ?? 0, 2))
    wrong.push(`knee ${staticCurve.kneeDb.toFixed(1)}`);
  const isTime = (is: number, was: number) => Math.abs(is - was) <= Math.max(0.3, 0.12 * was);
  for (const [name, is, was] of [
    ["attack", times?.attackMs, truth.attackMs],
    ["release", times?.releaseMs, truth.releaseMs],
  ] as const) {
    if (was === undefined) {
      if (is != null && truth.closesMs === undefined) wrong.push(`${name} without truth ${is.toFixed(2)}`);
      continue;
    }
    if (is == null) open.push(name);
    else if (!isTime(is, was)) wrong.push(`${name} ${is.toFixed(2)}`);
  }
  if (times && truth.closesMs !== undefined && times.releaseMs !== null) {
    if (!isTime(times.holdMs + times.releaseMs, truth.closesMs))
      wrong.push(`closes ${times.holdMs.toFixed(1)} + ${times.releaseMs.toFixed(1)}`);
  } else if (times && !near(times.holdMs, truth.holdMs ?? 0, 2)) wrong.push(`hold ${times.holdMs.toFixed(2)}`);
  // None of the processors is: 15 % apart is reported as programme-dependent.
  if (times?.releaseMs && times.releaseAfterShortMs && !share(times.releaseAfterShortMs, times.releaseMs, 0.15))
    wrong.push(`release after a short burst ${times.releaseAfterShortMs.toFixed(1)} re ${times.releaseMs.toFixed(1)}`);
  if (times && times.lookAheadMs === null) open.push("look-ahead");
  else if (times?.lookAheadMs != null && !near(times.lookAheadMs, truth.lookAheadMs ?? 0, 0.5))
    wrong.push(`look-ahead ${times.lookAheadMs.toFixed(2)}`);
  if (times && truth.opensDb !== undefined && !near(-times.reductionDb, truth.opensDb, 0.5))
    wrong.push(`opens ${times.reductionDb.toFixed(1)}`);
  if (!truth.bands && fitted.length > 0)
    wrong.push(`bands ${fitted.map((b) => `${b.kind} ${b.hertz.toFixed(0)} ${b.gainDb?.toFixed(2)}`).join(", ")}`);
  if (truth.bands) {
    if (fitted.length === 0) open.push("bands");
    else
      for (const band of truth.bands) {
        const found = fitted.find(
          (b) =>
            b.kind === band.kind &&
            near(b.hertz, band.hertz, Math.max(0.06 * band.hertz, TOLD_ERRORS * (b.errors?.hertz ?? 0))) &&
            (band.gainDb === null ||
              near(b.gainDb ?? 0, band.gainDb, Math.max(0.3, TOLD_ERRORS * (b.errors?.gainDb ?? 0)))),
        );
        note("band Hz", found?.hertz, band.hertz, found?.errors?.hertz);
        note("band dB", found?.gainDb, band.gainDb ?? undefined, found?.errors?.gainDb);
        // What noise hides is said to be hidden.
        const { response } = figures;
        const isHidden = response.hertz.every(
          (hz, i) => hz < band.hertz / 1.5 || hz > band.hertz * 1.5 || (response.errorDb[i] ?? 0) > 0.5,
        );
        if (!found && isHidden) open.push(`band at ${band.hertz}`);
        else if (!found)
          wrong.push(
            `no ${band.kind} ${band.hertz}: ${fitted.map((b) => `${b.kind} ${b.hertz.toFixed(0)} ${b.gainDb?.toFixed(2)} ${b.q?.toFixed(2)}`).join(", ")}`,
          );
      }
    if (fitted.length > truth.bands.length) wrong.push(`${fitted.length} bands`);
  }
  if (hasStaticCurve) {
    note("threshold", staticCurve.thresholdDbfs, truth.threshold, staticCurve.errors?.thresholdDb);
    if ((truth.ratio ?? 99) < 20) note("ratio", staticCurve.ratio, truth.ratio, staticCurve.errors?.ratio);
    note("knee", staticCurve.kneeDb, truth.kneeDb ?? 0, staticCurve.errors?.kneeDb);
  }
  note("attack", times?.attackMs, truth.attackMs, times?.errorsMs?.attack);
  note("release", times?.releaseMs, truth.releaseMs, times?.errorsMs?.release);
  if (truth.closesMs === undefined && times && times.holdMs > 0)
    note("hold", times.holdMs, truth.holdMs ?? 0, times.errorsMs?.hold);
  note("look-ahead", times?.lookAheadMs, truth.lookAheadMs ?? 0, times?.errorsMs?.lookAhead);
  if (truth.gainDb !== undefined) {
    const { hertz, errorDb } = figures.response;
    note("gain", figures.gainDbAt1k, truth.gainDb + told.gainDb, errorDb[hertz.findIndex((hz) => hz >= 1000)]);
  }
  if (truth.clean && (harmonics[0].thdPercent ?? 0) > 0.002) wrong.push(`THD ${harmonics[0].thdPercent}`);
  if (truth.clean && figures.aliasDb !== null && figures.aliasDb > (told.noise === "50 ppm" ? -80 : -110))
    wrong.push(`aliasing ${figures.aliasDb}`);
  return { wrong, open, off };
}

function judgeIntegrity(fault: Fault, report: BenchReport): { wrong: string[]; open: string[] } {
  const wrong: string[] = [];
  const open: string[] = [];
  const rest = [...report.integrity];
  for (const wanted of fault.says) {
    const at = rest.findIndex(
      (f) => f.what === wanted.what && (wanted.samples === undefined || f.samples === wanted.samples),
    );
    if (at < 0) {
      open.push(`no ${wanted.what} ${wanted.samples ?? ""}`);
      continue;
    }
    const [found] = rest.splice(at, 1);
    if (wanted.hertz !== undefined && Math.abs((found.hertz ?? 0) - wanted.hertz) > 0.1)
      wrong.push(`${wanted.what} ${found.hertz}`);
    if (
      wanted.atSeconds !== undefined &&
      Math.abs((found.atSeconds ?? 0) - wanted.atSeconds) > 0.05 + (found.withinSeconds ?? 0)
    )
      wrong.push(`${wanted.what} at ${found.atSeconds}`);
  }
  for (const found of rest) {
    const isAgain =
      fault.says.some(({ what }) => what === found.what) && (found.channel !== null || found.what === "dropout");
    if (!isAgain && found.what !== "noise")
      wrong.push(`claims ${found.what} ${found.hertz ?? found.samples ?? found.levelDbfs ?? found.percent}`);
  }
  if (fault.name !== "50 ppm" && !fault.name.startsWith("wow") && Math.abs(report.clockPpm) > 0.05)
    wrong.push(`drift ${report.clockPpm}`);
  return { wrong, open };
}

/** A delay between sides is right within this (samples), or within what it is told to be off by, and has an answer where it is more than half a sample and nothing moves it. */
const DELAY_SAMPLES = 0.1;

function judgeDelay([left, right]: readonly BenchTruth[], report: BenchReport): { wrong: string[]; open: string[] } {
  const told = report.channels.find(({ channel }) => channel === "right");
  const isOpen = [left, right].some(({ isSilent, kinds }) => isSilent || kinds.includes("timeVarying"));
  if (!told || isOpen) return { wrong: [], open: [] };
  const was = (right.delaySamples ?? 0) - (left.delaySamples ?? 0);
  if (!told.differs.includes("delay")) return { wrong: [], open: Math.abs(was) > 0.5 ? ["delay"] : [] };
  const error = report.latencyErrorSamples + (told.figures ?? report).latencyErrorSamples;
  const isRight = Math.abs((told.delaySamples ?? 0) - was) <= Math.max(DELAY_SAMPLES, 2 * error);
  return { wrong: isRight ? [] : [`delay ${told.delaySamples}`], open: [] };
}

const NOTHING: BenchProcessor = {
  name: "wire",
  group: "linear",
  process: wire,
  truth: { kinds: ["wire"], clean: true },
};

export function benchTrial(options: {
  only?: string;
  name?: string;
  part: string;
  all?: boolean;
  rates?: string;
  sides?: string;
  noises?: string;
  quick?: boolean;
}): void {
  const [part, parts] = options.part.split("/").map(Number);
  const rates = (options.rates ?? "44100").split(",").map(Number);
  const sides = (options.sides ?? "left").split(",") as Sides[];
  const onWay = options.noises ? noises.filter(({ name }) => options.noises?.split(",").includes(name)) : noises;
  const counts = new Map<string, Record<Verdict, number>>();
  for (const sampleRateHz of rates) {
    const plan = signalPlan({ ...DEFAULT_FORM, sampleRateHz });
    const signal = testSignal(plan);
    const [x, y] = signal.channels.map((c) => Float64Array.from(c));
    // One processor comes with many noises: what it makes of the signal is kept until the next comes.
    const processed: ({ processor: BenchProcessor; channel: Float64Array } | null)[] = [null, null];
    const processedBy = (processor: BenchProcessor, at: number) => {
      const kept = processed[at];
      if (kept?.processor === processor) return kept.channel;
      const channel = processor.process([x, y][at], sampleRateHz);
      processed[at] = { processor, channel };
      return channel;
    };
    /** Two processors beside each other; those of `counted` are counted. */
    const run = (sides: readonly [BenchProcessor, BenchProcessor], counted: readonly number[], fault: Fault) => {
      const channels = sides.map((processor, c) =>
        Float32Array.from(fault.apply(processedBy(processor, c), sampleRateHz, c)),
      );
      const start = performance.now();
      const outcome = benchRecording("back.wav", soundOf({ sampleRateHz, channels }));
      const seconds = (performance.now() - start) / 1000;
      const integrity = outcome.ok ? judgeIntegrity(fault, outcome.value) : { wrong: [], open: [] };
      for (const c of counted) {
        const processor = sides[c];
        const wrong = [...integrity.wrong];
        const open = [...integrity.open];
        const off: Off[] = [];
        if (!outcome.ok) {
          if (sides.some(({ truth }) => !truth.isSilent)) open.push(`refused: ${outcome.reason}`);
        } else {
          const report = outcome.value;
          const delay = judgeDelay(
            sides.map(({ truth }) => truth),
            report,
          );
          wrong.push(...delay.wrong);
          open.push(...delay.open);
          const toldOf = (at: number) =>
            report.channels.find(({ channel }) => channel === (at === 0 ? "left" : "right"));
          // What stands beside it is not counted, but nothing wrong may be said of it.
          for (const [at, { truth }] of sides.entries()) {
            if (at !== c && counted.includes(at)) continue;
            const told = toldOf(at);
            const isSilent = told?.differs.includes("silent") ?? false;
            if (isSilent !== (truth.isSilent ?? false)) wrong.push(isSilent ? "silent" : "not silent");
            if (truth.isSilent) continue;
            const judged = judgeChannel(truth, told?.figures ?? report, {
              noise: fault.name,
              gainDb: fault.gainDb ?? 0,
            });
            const name = at === 0 ? "left" : "right";
            wrong.push(...judged.wrong.map((w) => `${name} ${w}`));
            open.push(...judged.open.map((w) => `${name} ${w}`));
            off.push(...judged.off);
          }
        }
        const verdict: Verdict = wrong.length > 0 ? "wrong" : open.length > 0 ? "withheld" : "right";
        const group = fault.group || processor.group;
        const row = counts.get(group) ?? { right: 0, withheld: 0, wrong: 0 };
        row[verdict]++;
        counts.set(group, row);
        const where = sides[0] === sides[1] ? "both" : `${c === 0 ? "left" : "right"} beside ${sides[1 - c].name}`;
        const name = `${group}: ${processor.name}, ${fault.name}, ${where}, ${sampleRateHz}`;
        const why = verdict === "right" ? "" : `: ${[...wrong, ...open].join("; ")}`;
        if (verdict !== "right" || options.all)
          console.log(
            `${verdict === "right" ? verdict : verdict.toUpperCase()} ${name}${why} [${seconds.toFixed(1)} s]`,
          );
        if (options.all) for (const o of off) console.log(`    off: ${o.figure} ${o.is} ${o.was} ${o.error}`);
      }
      if (options.all && outcome.ok) console.log(outcome.value.sentences.map((s) => `    ${s}`).join("\n"));
    };
    const wanted = ({ name, group }: { name: string; group: string }) =>
      (!options.only || options.only.split("|").some((g) => group.includes(g))) &&
      (!options.name || options.name.split("|").some((t) => name.includes(t)));
    const all = [...benchProcessors(), ...moreProcessors()];
    for (const [i, processor] of all.entries()) {
      if (!wanted(processor) || i % parts !== part - 1) continue;
      for (const side of sides)
        for (const fault of onWay)
          if (side === "left") run([processor, NOTHING], [0], fault);
          else if (side === "right") run([NOTHING, processor], [1], fault);
          else if (side === "both") run([processor, processor], [0, 1], fault);
          else run([processor, all[(i + PAIRED_WITH) % all.length]], [0, 1], fault);
    }
    const behind = all.filter(({ name }) =>
      ["wire", "bell 1000 6 1", "C(-30, 4, 10, 100) knee 12", "tanh 6"].includes(name),
    );
    for (const [i, fault] of faults.filter(wanted).entries())
      if (i % parts === part - 1) for (const processor of behind) run([processor, processor], [0], fault);
  }
  const total = { right: 0, withheld: 0, wrong: 0 };
  console.log(`\n${"".padEnd(24)}${["right", "withheld", "wrong"].map((v) => v.padStart(10)).join("")}`);
  for (const [group, row] of [...counts, ["all", total] as const]) {
    console.log(
      group.padEnd(24) + (["right", "withheld", "wrong"] as const).map((v) => String(row[v]).padStart(10)).join(""),
    );
    if (row !== total) for (const v of Object.keys(total) as Verdict[]) total[v] += row[v];
  }
}
