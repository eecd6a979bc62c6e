"use client";

import { Ear } from "lucide-react";
import { useMemo, useState } from "react";
import { dbFromPower } from "@/core/audio/decibels";
import { levelOverTime } from "@/core/dynamics/over-time";
import { appliedStepSchema } from "@/core/ladder/found-chain";
import { type Ladder, stepOf } from "@/core/ladder/ladder-schema";
import type { Averaged } from "@/core/spectrum/averaged";
import { bandCentres } from "@/core/spectrum/bands";
import { bandLevels, bandPowers } from "@/core/spectrum/levels";
import { kindWords, STEP_TITLES } from "@/core/words/explain-steps";
import { number, plural, withUnit } from "@/core/words/units";
import type { Source } from "@/store/explaining";
import type { Region } from "@/store/records";
import type { Span } from "@/ui/charts/chart-frame";
import { audible } from "@/ui/charts/frequency-axis";
import { LevelsChart } from "@/ui/charts/frequency-chart";
import type { Curve } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { LABELS } from "@/ui/labels";
import { residualScene } from "@/ui/shell/applied-voices";
import { QuickSelect } from "@/ui/shell/controls";
import { useMonitor } from "@/ui/shell/monitor";
import { sentenceOf } from "@/ui/shell/queries";
import { Instead, View } from "@/ui/shell/view";
import type { Pair } from "@/ui/shell/workbench";
import { hearStep } from "./hear-step";
import { renderSource, useReadings } from "./sources";
import { SpectrogramChart } from "./spectrogram-chart";
import { TimeChart } from "./time-chart";
import { useGains, useLeftSpectra } from "./use-explained";

type Shown = "time" | "bands" | "spectrum" | "spectrogram" | "kinds";

const POINTS = 8192;
/** A level that is not reached in so much of the time is out of sight. */
const SELDOM = 0.02;
const SMOOTH_SECONDS = 0.05;
const PER_OCTAVE = 12;
const LEFT = { title: "residual", colour: "var(--difference)", width: 2 };
/** What is under this share of Yonder's spectrum as a whole (−120 dB) holds nothing of it. */
const LEAST_SHARE = 1e-12;

/** What remains between the two after a step: how much, where and what of. */
export function ResidualView({ pair, region, ladder }: { pair: Pair; region: Region; ladder: Ladder | null }) {
  const [shown, setShown] = useState<Shown>("time");
  const [chosen, setAfter] = useState<string>("level");
  const [problem, setProblem] = useState<string | null>(null);
  const heard = useMonitor((m) => m.heard);
  const gains = useGains(pair);
  const found = ladder?.found ?? null;
  const steps = (ladder?.steps ?? []).flatMap(({ step, residualDb }) => {
    const upTo = appliedStepSchema.safeParse(step).data;
    return upTo && found ? [{ upTo, residualDb }] : [];
  });
  const after = steps.find(({ upTo }) => upTo === chosen) ?? steps[0];
  const source: Source =
    after && found
      ? { of: "left", region, found, upTo: after.upTo }
      : { of: "difference", gainDb: gains.here - gains.yonder };
  const common = { pair, region, source };
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "time", title: "Over time", figure: "residualOverTime" },
        { value: "bands", title: "Per band", figure: "residualPerBand", hint: "Re Yonder, by third octaves" },
        { value: "spectrum", title: "Spectrum", figure: "residual" },
        { value: "spectrogram", title: "Spectrogram", figure: "residual" },
        { value: "kinds", title: "Components", figure: "residualKinds" },
      ]}
      testId="residual-sentence"
      choices={
        <>
          {steps.length > 0 && (
            <QuickSelect
              label="Residual after"
              title="after"
              value={after?.upTo ?? "level"}
              onChange={setAfter}
              options={steps.map(({ upTo, residualDb }) => ({
                value: upTo as string,
                title: `${STEP_TITLES[upTo].toLowerCase()}, ${residualDb === null ? "silence" : withUnit(number(residualDb), "dB")}`,
              }))}
            />
          )}
          {after && found && (
            <button
              type="button"
              className={`btn btn-xs h-7 border-difference font-normal ${heard === residualScene(after.upTo) ? "bg-difference text-base-100" : "bg-transparent text-difference"}`}
              aria-pressed={heard === residualScene(after.upTo)}
              title="At the boost set in the transport, never louder than Yonder"
              onClick={() => {
                setProblem(null);
                hearStep(pair, region, found, after.upTo, after.residualDb, residualScene(after.upTo)).catch(
                  (error: unknown) => setProblem(sentenceOf(error)),
                );
              }}
            >
              <Ear size={13} /> {LABELS.hearResidual}
            </button>
          )}
          {problem && (
            <span role="alert" className="text-error">
              {problem}
            </span>
          )}
        </>
      }
      sentence={after ? undefined : "Residual when matched; the ladder is still running."}
    >
      {shown === "time" && <OverTime {...common} gainDb={gains.yonder} />}
      {(shown === "bands" || shown === "spectrum") && (
        <Spectrum {...common} isRelative={shown === "bands"} gainDb={gains.yonder} />
      )}
      {shown === "spectrogram" && (
        <SpectrogramChart
          name={`${pair.passage.title} residual`}
          pair={pair}
          region={region}
          drawn={{ of: "one", source, gainDb: gains.yonder, colour: "difference", title: "residual" }}
          channels="both"
          points={4096}
          depthDb={90}
        />
      )}
      {shown === "kinds" && <Kinds ladder={ladder} />}
    </View>
  );
}

/** From the loudest down to where what remains seldom falls under: a tail that dies away does not press the rest together. */
function soundingSpan(curves: readonly Curve[]): Span {
  const values = curves.map((c) => Float64Array.from(c.values).filter(Number.isFinite).sort());
  const top = Math.max(-100, ...values.map((v) => v[v.length - 1] ?? -100));
  const low = Math.min(...values.map((v) => v[Math.floor(SELDOM * v.length)] ?? top));
  const high = Math.ceil((top + 1) / 6) * 6;
  return [Math.max(-150, Math.min(high - 12, Math.floor((low - 6) / 6) * 6)), high];
}

type Common = { pair: Pair; region: Region; source: Source; gainDb: number };

function OverTime({ pair, region, source, gainDb }: Common) {
  const { data, problem } = useReadings("cells", [renderSource(pair.yonder), source], pair, region);
  const [yonder, left] = data;
  const curves = useMemo((): Curve[] => {
    if (!yonder || !left) return [];
    return [
      { ...LINES.yonder, values: levelOverTime(yonder, SMOOTH_SECONDS).map((v) => v + gainDb) },
      { ...LEFT, values: levelOverTime(left, SMOOTH_SECONDS).map((v) => v + gainDb) },
    ];
  }, [yonder, left, gainDb]);
  const levels = useMemo(() => soundingSpan(curves), [curves]);
  if (!yonder || curves.length === 0) return <Instead>{problem ?? "Reading the residual…"}</Instead>;
  return (
    <TimeChart
      pair={pair}
      what="residual level"
      label="Residual level over time"
      quantity="Residual level"
      cells={yonder}
      curves={curves}
      levels={levels}
      isSigned={false}
      note={`Mean square over ${withUnit(number(1000 * SMOOTH_SECONDS, 0), "ms")}`}
    />
  );
}

function Spectrum({ pair, region, source, isRelative, gainDb }: Common & { isRelative: boolean }) {
  const { data, problem } = useLeftSpectra(source, pair, region, POINTS, "both");
  const curves = useMemo(() => (data ? spectrumCurves(data, isRelative, gainDb) : null), [data, isRelative, gainDb]);
  if (!data || !curves) return <Instead>{problem ?? "Averaging spectra…"}</Instead>;
  return (
    <LevelsChart
      name={`${pair.passage.title} ${isRelative ? "residual per band" : "residual spectrum"}`}
      label={isRelative ? "Residual re Yonder, by bands" : "Residual spectrum"}
      sampleRateHz={data.sampleRateHz}
      {...curves}
      quantity={isRelative ? "Residual re Yonder" : "Residual level"}
      unit={isRelative ? "dB" : "dBFS"}
      note={`${plural(data.segments, "average")}${isRelative ? "; third octaves re Yonder" : ""}`}
    />
  );
}

function spectrumCurves(data: Averaged, isRelative: boolean, gainDb: number): { hertz: number[]; curves: Curve[] } {
  const perOctave = isRelative ? 3 : PER_OCTAVE;
  const hertz = bandCentres(perOctave, ...audible(data.sampleRateHz));
  const binHz = data.sampleRateHz / data.points;
  if (isRelative) {
    const [yonder, left] = data.powers.map((channels) => bandPowers(channels, binHz, hertz, perOctave));
    const whole = yonder.reduce((a, b) => a + b, 0);
    const values = left.map((v, i) => (yonder[i] > LEAST_SHARE * whole ? dbFromPower(v / yonder[i]) : Number.NaN));
    return { hertz, curves: [{ ...LEFT, values }] };
  }
  const [yonder, left] = data.powers.map((channels) =>
    bandLevels(channels, binHz, hertz, perOctave).map((level) => level + gainDb),
  );
  return {
    hertz,
    curves: [
      { ...LINES.yonder, values: yonder },
      { ...LEFT, values: left },
    ],
  };
}

function Kinds({ ladder }: { ladder: Ladder | null }) {
  const left = ladder && stepOf(ladder, "left");
  if (!left) return <Instead>{ladder?.problem ?? "Analysing the difference first…"}</Instead>;
  if (left.residualDb === null) return <Instead>No residual: digital silence.</Instead>;
  return (
    <section
      aria-label={LABELS.componentsOfTheResidual}
      className="overflow-auto rounded-lg border border-rule bg-base-100"
    >
      <table className="table table-sm">
        <thead>
          <tr className="text-soft">
            <th>After all steps</th>
            <th className="text-right">Re Yonder</th>
            <th className="text-right">Share of residual</th>
          </tr>
        </thead>
        <tbody>
          {left.kinds.map((kind) => (
            <tr key={kind.kind}>
              <td>{kindWords(kind)}</td>
              <td className="figure text-right">{withUnit(number(kind.shareDb), "dB")}</td>
              <td className="figure text-right">
                {withUnit(number(100 * 10 ** ((kind.shareDb - (left.residualDb ?? 0)) / 10), 0), "%")}
              </td>
            </tr>
          ))}
          {left.kinds.length === 0 && (
            <tr>
              <td colSpan={3} className="text-soft">
                Too little to sort.
              </td>
            </tr>
          )}
        </tbody>
      </table>
      <p className="px-4 py-2 text-[12px] text-soft">
        Sorted by behaviour over time and frequency: indications, not proof. Components overlap and need not add up.
      </p>
    </section>
  );
}
