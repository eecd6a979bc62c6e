// npm run trial -- explain: what Explain says of pairs whose causes are known (trial/explain.ts), or with --random 40 --seed 2 of chains drawn at random.
// npm run trial -- bench [--rates 44100,96000] [--sides left,right,both] [--noises clean,hum]: what Bench says of processors and faults (trial/bench.ts).
// npm run trial -- flac [--times 2000] [--seed 1]: FLAC files of three encoders, bit for bit or named as damaged (trial/flac.ts).
// npm run trial [-- --only GROUP] [-- --all] [-- --material second]: what the alignment says of hundreds of cases whose truth is known, on recordings of
// Debian's packages sonic-pi-samples, hedgewars-data and supertux-data through ffmpeg, sox and espeak-ng. Not part of npm test.
import { parseArgs } from "node:util";
import { align } from "@/core/alignment/align";
import type { Alignment } from "@/core/alignment/alignment";
import { doubtsWords, notAlignedWords } from "@/core/words/alignment";
import { benchTrial } from "./trial/bench";
import { cases } from "./trial/cases";
import { explainTrial } from "./trial/explain";
import { flacTrial } from "./trial/flac";
import { isMaterial } from "./trial/outside";
import type { Case, Truth } from "./trial/placement-truth";

const VERDICTS = ["right", "in doubt", "not found", "wrong"] as const;
type Verdict = (typeof VERDICTS)[number];

/** What measuring leaves open beside the error reported, in samples and ppm. */
const SLACK_SAMPLES = 0.01;
const SLACK_PPM = 0.02;

function judge(truth: Truth, found: Alignment): Verdict {
  if (truth.answer === "strangers") return found.found ? (found.doubts.length > 0 ? "in doubt" : "wrong") : "right";
  if (truth.answer === "told") return !found.found || found.doubts.length > 0 ? "right" : "wrong";
  if (!found.found) return truth.orDoubt === found.reason.kind ? "right" : "not found";
  if (found.doubts.length > 0) return found.doubts.some(({ kind }) => kind === truth.orDoubt) ? "right" : "in doubt";
  const delayOff = Math.abs(found.delaySamples - truth.delaySamples);
  const [left, right] = truth.polarity ?? [1, 1];
  const ppmOff = found.driftPpm === null ? 0 : Math.abs(found.driftPpm - (truth.ppm ?? 0));
  const right_ =
    delayOff <= found.delayErrorSamples + SLACK_SAMPLES + (truth.withinSamples ?? 0) &&
    found.polarity.left === left &&
    found.polarity.right === right &&
    found.swapped === (truth.swapped ?? false) &&
    ppmOff <= (found.driftErrorPpm ?? 0) + SLACK_PPM;
  return right_ ? "right" : "wrong";
}

function told(found: Alignment): string {
  if (!found.found) return `not found: ${notAlignedWords(found.reason)}`;
  const { delaySamples, delayErrorSamples, polarity, swapped, driftPpm, driftErrorPpm, confidence, doubts } = found;
  const order = `${polarity.left > 0 ? "+" : "−"}${polarity.right > 0 ? "+" : "−"}${swapped ? " swapped" : ""}`;
  return `${delaySamples.toFixed(3)} ± ${delayErrorSamples.toFixed(3)} ${order} ${driftPpm?.toFixed(2) ?? "?"} ± ${driftErrorPpm?.toFixed(2) ?? "?"} ppm, ${Math.round(100 * confidence)} %${doubts.length > 0 ? `, ${doubtsWords(doubts)}` : ""}`;
}

const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    times: { type: "string" },
    random: { type: "string" },
    seed: { type: "string" },
    stages: { type: "boolean" },
    only: { type: "string" },
    all: { type: "boolean" },
    name: { type: "string" },
    material: { type: "string", default: "first" },
    part: { type: "string", default: "1/1" },
    rates: { type: "string" },
    sides: { type: "string" },
    noises: { type: "string" },
  },
});

function main(): void {
  const wanted = (c: Case) =>
    (!values.only || values.only.split("|").some((g) => c.group.includes(g))) &&
    (!values.name || c.name.includes(values.name));
  const counts = new Map<string, Record<Verdict, number>>();
  const errors: number[] = [];
  const [part, parts] = (values.part ?? "1/1").split("/").map(Number);
  const { material } = values;
  if (!isMaterial(material)) throw new Error("--material is first, second or third");
  for (const one of cases(material)
    .filter(wanted)
    .filter((_, i) => i % parts === part - 1)) {
    const { reference, render } = one.make();
    const start = performance.now();
    const found = align(reference, render);
    const spent = performance.now() - start;
    const verdict = judge(one.truth, found);
    const row = counts.get(one.group) ?? { right: 0, "in doubt": 0, "not found": 0, wrong: 0 };
    row[verdict]++;
    counts.set(one.group, row);
    if (found.found && one.truth.answer === "placed") errors.push(found.delayErrorSamples);
    if (values.all || verdict !== "right") {
      const truth = one.truth.answer === "placed" ? `truth ${one.truth.delaySamples}` : one.truth.answer;
      console.log(
        `${verdict.toUpperCase()} ${one.group}: ${one.name} (${truth}): ${told(found)} [${spent.toFixed(0)} ms]`,
      );
    }
  }
  const total: Record<Verdict, number> = { right: 0, "in doubt": 0, "not found": 0, wrong: 0 };
  console.log(`\n${"".padEnd(24)}${VERDICTS.map((v) => v.padStart(10)).join("")}`);
  for (const [group, row] of [...counts, ["all", total] as const]) {
    console.log(group.padEnd(24) + VERDICTS.map((v) => String(row[v]).padStart(10)).join(""));
    if (row !== total) for (const v of VERDICTS) total[v] += row[v];
  }
  errors.sort((a, b) => a - b);
  const at = (share: number) => errors[Math.floor(share * (errors.length - 1))]?.toFixed(3);
  console.log(
    `\nerrors told where one placement is right: half under ${at(0.5)}, nine in ten under ${at(0.9)} samples`,
  );
}

if (positionals[0] === "flac") {
  const isRight = await flacTrial(Number(values.times ?? 2000), Number(values.seed ?? 1));
  process.exitCode = isRight ? 0 : 1;
} else if (positionals[0] === "bench") benchTrial(values);
else if (positionals[0] === "explain") {
  if (!isMaterial(values.material)) throw new Error("--material is first, second or third");
  explainTrial({ ...values, material: values.material });
} else main();
