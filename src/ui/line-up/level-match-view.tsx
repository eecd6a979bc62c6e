"use client";

import { imbalanceDb } from "@/core/loudness/measure";
import { TOLERANCE_LU } from "@/core/matching/match";
import { type MatchMethod, METHOD_UNITS } from "@/core/matching/match-passage";
import { loudestSentence, matchWords } from "@/core/words/level";
import { MISSING } from "@/core/words/missing";
import { decibels, NO_FIGURE, overlapWords, signed, withUnit } from "@/core/words/units";
import type { Render } from "@/store/records";
import { LevelOffsetBar } from "@/ui/charts/level-offset-bar";
import { LABELS } from "@/ui/labels";
import { Figure } from "@/ui/shell/figure";
import { useMatch, useResults } from "@/ui/shell/use-results";
import { WhatIs } from "@/ui/shell/what-is";
import { useWorkbench } from "@/ui/shell/workbench";
import { MatchForm } from "./match-form";
import { SideMark } from "./side-mark";
import { type LevelsAround, useLevelsAround } from "./use-levels-around";

/** A channel imbalance over this is reported as one (common practice, no published source). */
const IMBALANCE_DB = 0.1;

/** How much level alone would have spoken for one of them. */
export function LevelMatchSentence() {
  const { pair, match, alignments, titleOf } = useResults();
  if (!pair || !match) return <>Measuring…</>;
  const levelOffsets = pair.renders.flatMap((render) => {
    const levelOffset = match.renders.get(render.id)?.levelOffset;
    // What is other material has no edge worth telling.
    const judged = render.id !== pair.dry.id && alignments.get(render.id)?.found !== false;
    return judged && typeof levelOffset === "number" ? [{ render, levelOffset }] : [];
  });
  if (levelOffsets.length === 0) return <>There is nothing to match yet.</>;
  const { render, levelOffset } = levelOffsets.reduce((most, e) => (e.levelOffset > most.levelOffset ? e : most));
  const unit = METHOD_UNITS[match.method].difference;
  return <>{loudestSentence(titleOf(render), levelOffset, unit)}</>;
}

/** Before, gain, after, what remains: measured again with the gains, not inferred. */
export function LevelMatchView() {
  const { pair, titleOf } = useWorkbench();
  const { match } = useMatch(pair);
  const levelsOf = useLevelsAround();
  if (!pair || !match) return null;
  const rows = [pair.dry, ...pair.renders.filter((r) => r.id !== pair.dry.id)];
  const dryLevels = levelsOf(pair.dry);
  const widest = Math.max(6, ...rows.map((r) => Math.abs(match.renders.get(r.id)?.levelOffset ?? 0)));
  return (
    <>
      <MatchForm />
      <div className="min-h-0 flex-1 overflow-y-auto">
        <table className="table table-sm rounded-lg border border-rule bg-base-100">
          <thead>
            <tr className="text-soft">
              <th>{LABELS.render}</th>
              <th className="w-44 text-center">Level offset: quieter, louder</th>
              <th className="text-right">
                <WhatIs figure="levelOffset">Level offset</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="levelBefore">Before</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="matchGain">Gain</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="levelAfter">After</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="remaining">Remaining</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="truePeak">True peak after</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="balance">R/L balance</WhatIs>
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((render) => (
              <LevelRow
                key={render.id}
                render={render}
                title={titleOf(render)}
                levels={levelsOf(render)}
                dry={dryLevels}
                widest={widest}
              />
            ))}
          </tbody>
        </table>
      </div>
      <p className="text-[13px] text-soft">{matchWords(match, pair.passage)}</p>
    </>
  );
}

type RowProps = {
  render: Render;
  title: string;
  levels: LevelsAround | undefined;
  dry: LevelsAround | undefined;
  widest: number;
};

/** The figure a method goes by, out of what was measured; least squares has none of its own, so RMS stands for it. */
function figureBy(method: MatchMethod, levels: LevelsAround["after"] | undefined): number | null {
  if (!levels) return null;
  if (method === "integrated") return levels.integratedLufs;
  if (method === "short-term") return levels.maxShortTermLufs;
  return method === "true peak" ? levels.truePeakDbtp : levels.rmsDbfs;
}

function LevelRow({ render, title, levels, dry, widest }: RowProps) {
  const { pair } = useWorkbench();
  const { match } = useMatch(pair);
  if (!pair || !match) return null;
  const own = match.renders.get(render.id);
  const { method, targetLevel, trimDb } = match;
  const units = METHOD_UNITS[method];
  const level = method === "least squares" ? "dBFS" : units.level;
  const after = figureBy(method, levels?.after);
  // Least squares goes by the waveform: what remains in level is reported against the dry render.
  const aim =
    method === "least squares" ? figureBy(method, dry?.after) : targetLevel === null ? null : targetLevel + trimDb;
  // A render that lacks a part is held against the dry one where it has sound: its level there stands for the whole.
  const before = figureBy(method, levels?.before);
  const shift = method === "least squares" || before === null || own?.level == null ? 0 : own.level - before;
  const left = after === null || aim === null ? null : after + shift - aim;
  const off = left !== null && method !== "least squares" && Math.abs(left) > TOLERANCE_LU;
  const imbalance = levels && render.id !== pair.dry.id ? imbalanceDb(levels.dryThere, levels.before) : null;
  const side = render.id === pair.here.id ? "here" : render.id === pair.yonder.id ? "yonder" : null;
  return (
    <tr data-testid={`level-${render.fileName}`}>
      <td className="max-w-48 truncate font-medium">
        <span className="flex items-center gap-1.5">
          <SideMark side={side} />
          <span className="truncate">{title}</span>
          {render.id === pair.dry.id && title !== "Dry" && <span className="text-soft">(dry)</span>}
          {levels && (
            <span
              className="whitespace-nowrap font-normal text-[11px] text-soft"
              title="Partly missing: measured and matched over the common part"
            >
              {overlapWords(levels.share)}
            </span>
          )}
        </span>
      </td>
      <td>
        <LevelOffsetBar levelOffset={own?.levelOffset ?? null} full={widest} />
      </td>
      <td className="figure text-right">
        <Figure text={withUnit(signed(own?.levelOffset, 2), units.difference)} why={MISSING.noLevel} />
      </td>
      <td className="figure text-right">
        <Figure text={decibels(before, level, 2)} why={MISSING.noLevel} />
      </td>
      <td className="figure text-right">
        <Figure text={withUnit(signed(own?.gainDb, 2), "dB")} why={MISSING.noLevel} />
      </td>
      <td className="figure text-right">
        <Figure text={decibels(after, level, 2)} why={MISSING.noLevel} />
      </td>
      <td className={`figure text-right ${off ? "font-semibold text-warning" : ""}`}>
        <Figure text={left === null ? NO_FIGURE : withUnit(signed(left, 2), units.difference)} why={MISSING.noLevel} />
        {off && <span className="ml-1 font-sans">above 0.1</span>}
      </td>
      <td className="figure text-right">
        <Figure text={decibels(levels?.after.truePeakDbtp, "dBTP", 2)} why={MISSING.noPeak} />
      </td>
      <td
        className={`figure text-right ${imbalance !== null && Math.abs(imbalance) > IMBALANCE_DB ? "text-warning" : "text-soft"}`}
      >
        <Figure
          text={
            imbalance === null ? NO_FIGURE : Math.abs(imbalance) < 0.005 ? "even" : withUnit(signed(imbalance, 2), "dB")
          }
          why={MISSING.noBalance}
        />
      </td>
    </tr>
  );
}
