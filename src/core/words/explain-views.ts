import type { Rotation } from "../dynamics/rotation";
import type { Shape } from "../dynamics/shape";
import type { TransientReading } from "../dynamics/transient-shape";
import type { PhaseReading } from "../spectrum/phase-kind";
import type { StereoBands } from "../stereo/bands";
import { frequencyWords, number, plural, signed, withUnit } from "./units";

/** Gains whose range is less are called steady, dB. */
const STEADY_DB = 0.5;

/** How far each gain moves: the range of 90 % of the time. */
export function gainSentence(curves: readonly { title: string; values: ArrayLike<number> }[]): string {
  const said = curves.map(({ title, values }) => {
    const known = Float64Array.from(Array.from(values).filter(Number.isFinite)).sort();
    if (known.length === 0) return `${title}: gain not measurable`;
    const at = (share: number) => known[Math.round(share * (known.length - 1))];
    const range = at(0.95) - at(0.05);
    return range < STEADY_DB
      ? `${title}: gain within ${withUnit(number(STEADY_DB), "dB")}`
      : `${title}: gain range ${withUnit(number(range), "dB")}`;
  });
  return `${said.join("; ")}, 90 % of the time.`;
}

/** Flat tops and samples near the peak, of Here and Yonder. */
export function shapeSentence([here, yonder]: readonly Shape[]): string {
  const of = (title: string, { nearPeak, longestRun, runs, crestDb }: Shape) => {
    const flat = runs > 0 ? `, ${plural(runs, "flat top")} (longest ${withUnit(String(longestRun), "smp")})` : "";
    const share = 100 * nearPeak;
    return `${title}: ${withUnit(number(share, share < 0.1 ? 3 : 1), "%")} of samples within ${withUnit("1", "dB")} of the peak${flat}, crest ${withUnit(number(crestDb), "dB")}`;
  };
  return `${of("Here", here)}. ${of("Yonder", yonder)}.`;
}

/** Headroom that phase rotation would win, and its cost before transients. */
export function rotationSentence([here, yonder]: readonly Rotation[]): string {
  const of = (title: string, { degrees, peakDbfs, beforeDb, onsets: transients }: Rotation) => {
    let best = 0;
    for (let i = 0; i < degrees.length; i++) if (peakDbfs[i] < peakDbfs[best]) best = i;
    const wins = peakDbfs[0] - peakDbfs[best];
    if (!(wins >= 0.1)) return `${title} peaks lowest without rotation`;
    const cost = beforeDb[best] - beforeDb[0];
    const costs =
      transients > 0 && Number.isFinite(cost) && Math.abs(cost) >= 0.5
        ? `, with ${withUnit(number(Math.abs(cost)), "dB")} ${cost > 0 ? "more" : "less"} before transients`
        : "";
    return `${title} peaks ${withUnit(number(wins), "dB")} lower rotated by ${number(degrees[best], 0)}°${costs}`;
  };
  return `${of("Here", here)}; ${of("Yonder", yonder)}.`;
}

/** Differences at transients under these are not named: dB, ms. */
const LEAST_BEFORE_DB = 1;
const LEAST_LATE_MS = 0.2;

/** Transients of Yonder re Here. */
export function transientSentence(
  here: TransientReading | null | undefined,
  yonder: TransientReading | null | undefined,
): string {
  if (!here || !yonder) return "";
  const parts: string[] = [];
  if (here.beforeDb !== null && yonder.beforeDb !== null) {
    const apart = yonder.beforeDb - here.beforeDb;
    if (Math.abs(apart) >= LEAST_BEFORE_DB)
      parts.push(`${withUnit(number(Math.abs(apart)), "dB")} ${apart > 0 ? "more" : "less"} before them`);
  } else if (here.beforeDb === null && yonder.beforeDb !== null) parts.push("energy before them, where Here is silent");
  else if (yonder.beforeDb === null && here.beforeDb !== null) parts.push("silence before them, where Here has energy");
  const late = here.halfMs !== null && yonder.halfMs !== null ? yonder.halfMs - here.halfMs : 0;
  if (Math.abs(late) >= LEAST_LATE_MS)
    parts.push(`half of their energy ${withUnit(number(Math.abs(late)), "ms")} ${late > 0 ? "later" : "earlier"}`);
  return parts.length > 0 ? `Yonder's transients have ${parts.join(" and ")}.` : "No difference at transients.";
}

/** What kind of phase it is, in one sentence; refusing where no filter explains a pair (`isFitted`), or where too little of the range is coherent. */
export function phaseSentence({ kind, crossoversHz, delaySamples }: PhaseReading, isFitted = false): string {
  const left = Math.abs(delaySamples) >= 0.01 ? ` Delay of ${withUnit(signed(delaySamples, 2), "smp")} removed.` : "";
  const where =
    crossoversHz.length > 0 ? `, crossing 180° at ${crossoversHz.slice(0, 4).map(frequencyWords).join(", ")}` : "";
  const words = {
    none: "No phase shift: no filter, or one too slight to measure.",
    minimum: "Minimum phase: phase follows from the magnitude.",
    linear: "Linear phase: magnitude changes, phase does not.",
    "all-pass": `Contains an all-pass: phase changes, magnitude does not${where}.`,
    mixed: `Mixed phase: more phase shift than minimum phase${where}.`,
    unknown: isFitted
      ? "Kind of phase not known: no processing explains this pair."
      : "Kind of phase not known: too little of the range is coherent.",
  }[kind];
  return `${words}${left}`;
}

/** Widths of Here and Yonder by frequency. */
type BandsOfPair = { hertz: readonly number[]; here: StereoBands; yonder: StereoBands };

/** A change of width under this is not named, dB. */
const LEAST_WIDTH_DB = 0.5;

/** Where Yonder is wider or narrower than Here by most. */
export function stereoSentence({ hertz, here, yonder }: BandsOfPair): string {
  let most = -1;
  const apart = (i: number) => yonder.widthDb[i] - here.widthDb[i];
  for (let i = 0; i < hertz.length; i++)
    if (Number.isFinite(apart(i)) && (most < 0 || Math.abs(apart(i)) > Math.abs(apart(most)))) most = i;
  if (most < 0) return "One of the two is mono: widths are not comparable.";
  if (Math.abs(apart(most)) < LEAST_WIDTH_DB) return "Both have the same width.";
  return `Yonder is ${apart(most) > 0 ? "wider" : "narrower"} than Here, by ${withUnit(number(Math.abs(apart(most))), "dB")} side re mid near ${frequencyWords(hertz[most])}.`;
}
