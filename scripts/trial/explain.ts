// What Explain says of pairs whose causes are known.

import { soundOf } from "@/core/audio/sound";
import { type ExplainReport, explainPair } from "@/core/explain/explain";
import { causeWords } from "@/core/words/explain";
import { explainCases, heard } from "./explain-cases";
import { randomCases } from "./explain-random";
import type { ExplainCase, ExplainTruth } from "./explain-truth";
import type { MaterialName } from "./outside";

type Verdict = "right" | "in doubt" | "wrong";

/** Causes that are no claim of processing. */
const PLAIN = ["level", "unexplained"];

export function judgeExplained(truth: ExplainTruth, report: ExplainReport): { verdict: Verdict; why: string[] } {
  const wrong: string[] = [];
  const doubt: string[] = [];
  if (truth.is && report.identity.is !== truth.is) wrong.push(`identity ${report.identity.is}`);
  const open = [...truth.causes];
  for (const told of report.causes) {
    if (PLAIN.includes(told.cause)) continue;
    const match = open.findIndex((e) => e.cause === told.cause || e.or?.includes(told.cause));
    if (match < 0) {
      const again = truth.causes.some(
        (e) => e.cause === told.cause && (told.cause === "eq" || told.cause === "line" || told.cause === "edit"),
      );
      if (!truth.may?.includes(told.cause) && !again) wrong.push(`claims ${causeWords(told)}`);
      continue;
    }
    const [expected] = open.splice(match, 1);
    if (expected.channels && told.channels !== expected.channels)
      wrong.push(`${told.cause}: ${told.channels}, not ${expected.channels}`);
    const off = expected.cause === told.cause ? expected.check?.(told) : null;
    if (off) wrong.push(`${told.cause}: ${off}`);
  }
  for (const missing of open) doubt.push(`no ${missing.cause}`);
  if (truth.levelDb !== undefined) {
    const level = report.causes.find((c) => c.cause === "level");
    if (!level || Math.abs(level.levelDb - truth.levelDb) > 0.05) wrong.push(`level ${level?.levelDb}`);
  }
  return { verdict: wrong.length > 0 ? "wrong" : doubt.length > 0 ? "in doubt" : "right", why: [...wrong, ...doubt] };
}

export function explainTrial(options: {
  material: MaterialName;
  only?: string;
  name?: string;
  part: string;
  all?: boolean;
  times?: string;
  random?: string;
  seed?: string;
  stages?: boolean;
}): void {
  const [part, parts] = options.part.split("/").map(Number);
  const wanted = ({ group, name }: ExplainCase) =>
    (!options.only || options.only.split("|").some((g) => group.includes(g))) &&
    (!options.name || options.name.split("|").some((n) => name.includes(n)));
  const counts = new Map<string, Record<Verdict, number>>();
  const all = options.random
    ? randomCases(heard(options.material), Number(options.random), Number(options.seed ?? 1))
    : explainCases(options.material, Number(options.times ?? 3));
  const cases = all.filter(wanted).filter((_, i) => i % parts === part - 1);
  for (const { group, name, make, truth } of cases) {
    const { here, yonder } = make();
    const start = performance.now();
    const told: string[] = [];
    const outcome = explainPair(
      { here: { file: "here", sound: soundOf(here) }, yonder: { file: "yonder", sound: soundOf(yonder) } },
      undefined,
      (doing) => doing && options.stages && told.push(`${((performance.now() - start) / 1000).toFixed(1)} ${doing}`),
    );
    const seconds = (performance.now() - start) / 1000;
    if (!outcome.ok) throw new Error(outcome.reason);
    if (options.stages) {
      console.log(told.join("\n"));
      console.log(JSON.stringify(outcome.value.exceptions));
      for (const c of outcome.value.causes) console.log(`  worth ${c.worthDb?.toFixed(1) ?? "?"} dB: ${causeWords(c)}`);
    }
    const { verdict, why } = judgeExplained(truth, outcome.value);
    const row = counts.get(group) ?? { right: 0, "in doubt": 0, wrong: 0 };
    row[verdict]++;
    counts.set(group, row);
    if (options.all || verdict !== "right")
      console.log(
        `${verdict.toUpperCase()} ${group}: ${name}: ${why.join("; ")} [${seconds.toFixed(1)} s]\n    ${outcome.value.sentence}`,
      );
    else console.log(`right ${group}: ${name} [${seconds.toFixed(1)} s]`);
  }
  const total: Record<Verdict, number> = { right: 0, "in doubt": 0, wrong: 0 };
  console.log(`\n${"".padEnd(24)}${["right", "in doubt", "wrong"].map((v) => v.padStart(10)).join("")}`);
  for (const [group, row] of [...counts, ["all", total] as const]) {
    console.log(
      group.padEnd(24) + (["right", "in doubt", "wrong"] as const).map((v) => String(row[v]).padStart(10)).join(""),
    );
    if (row !== total) for (const v of Object.keys(total) as Verdict[]) total[v] += row[v];
  }
}
