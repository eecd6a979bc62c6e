"use client";

import { ArrowLeftRight, ChevronDown, Volume2 } from "lucide-react";
import type { FigureKey } from "@/core/words/figures";
import { IDENTICAL_WORDS } from "@/core/words/identity";
import { MISSING } from "@/core/words/missing";
import { decibels, NO_FIGURE, number, overlapWords, signed, withUnit } from "@/core/words/units";
import { crossOver, setSide } from "@/store/comparisons";
import { Figure } from "./figure";
import { levelDifference } from "./level-difference";
import { hear, useMonitor } from "./monitor";
import { placesOf } from "./places";
import { type Results, useMatch, useResults } from "./use-results";
import { WhatIs } from "./what-is";
import { useWorkbench } from "./workbench";

/** Here, Yonder, and what sets them apart in four figures. */
export function PairBar() {
  const workbench = useWorkbench();
  const { pair } = workbench;
  if (!pair) {
    return (
      <section aria-label="Pair" className="flex h-[68px] shrink-0 items-center border-rule border-b px-5 text-soft">
        No pair yet: add two renders of one passage.
      </section>
    );
  }
  return (
    <section
      aria-label="Pair"
      className="grid h-[68px] shrink-0 grid-cols-[1fr_auto_1fr] items-stretch border-rule border-b"
    >
      <Side side="here" />
      <Figures />
      <Side side="yonder" />
    </section>
  );
}

function Side({ side }: { side: "here" | "yonder" }) {
  const { pair, titleOf } = useWorkbench();
  const { match } = useMatch(pair);
  const { heard, matched } = useMonitor();
  if (!pair) return null;
  const render = pair[side];
  const mirrored = side === "yonder";
  const name = mirrored ? "Yonder" : "Here";
  const isHeard = heard === side;
  const gainDb = match?.renders.get(render.id)?.gainDb;
  const colour = mirrored ? "var(--yonder)" : "var(--here)";
  const { integratedLufs, truePeakDbtp } = render.levels;
  return (
    <div
      className={`flex min-w-0 items-center gap-3.5 px-5 ${mirrored ? "flex-row-reverse text-right" : ""}`}
      style={{
        background: `linear-gradient(${mirrored ? 270 : 90}deg, color-mix(in oklab, ${colour} ${isHeard ? 24 : 10}%, transparent), transparent)`,
      }}
    >
      <button
        type="button"
        aria-pressed={isHeard}
        title={`Hear ${name} (${mirrored ? "→" : "←"})`}
        onClick={() => hear(side, placesOf(pair))}
        className={`flex shrink-0 cursor-pointer items-center gap-1 rounded px-2 py-1 font-semibold text-[12px] ${
          mirrored ? "bg-yonder text-yonder-ink" : "bg-here text-here-ink"
        }`}
      >
        {isHeard && <Volume2 size={12} aria-hidden="true" />}
        {name}
      </button>
      <div className="min-w-0">
        <div className={`flex items-center gap-1 ${mirrored ? "flex-row-reverse" : ""}`}>
          <select
            aria-label={`${name} render`}
            value={render.id}
            onChange={(event) => void setSide(pair.passage, side, event.target.value)}
            className={`field-sizing-content min-w-0 max-w-full cursor-pointer appearance-none truncate bg-transparent font-display font-semibold text-[15px] ${mirrored ? "text-right" : ""}`}
          >
            {pair.renders.map((r) => (
              <option key={r.id} value={r.id}>
                {titleOf(r)}
                {r.id === pair.dry.id && titleOf(r) !== "Dry" ? " (dry)" : ""}
              </option>
            ))}
          </select>
          <ChevronDown size={13} className="shrink-0 text-soft" aria-hidden="true" />
        </div>
        <div className={`figure flex gap-3 truncate text-[12px] text-soft ${mirrored ? "justify-end" : ""}`}>
          <span>{decibels(integratedLufs, "LUFS")}</span>
          {/* On a narrow screen a figure too few is better than one cut off at its sign. */}
          <span className="max-[1180px]:hidden">{decibels(truePeakDbtp, "dBTP")}</span>
          {matched && gainDb !== undefined && <span title="Match gain">{withUnit(signed(gainDb, 2), "dB")}</span>}
        </div>
      </div>
    </div>
  );
}

/** Time between the two, from how each lies against the dry render. */
function delayDifference({ pair, alignments }: Results): string {
  if (!pair) return NO_FIGURE;
  const here = alignments.get(pair.here.id);
  const yonder = alignments.get(pair.yonder.id);
  if (!here || !yonder) return "…";
  if (!here.found || !yonder.found) return "not aligned";
  const apart = yonder.delaySamples - here.delaySamples;
  return withUnit(signed(apart, Number.isInteger(apart) ? 0 : 2), "samples");
}

/** Why the null depth is missing. */
function whyNoNull({ pair, alignments, figures }: Results): string {
  if (!pair || !figures) return MISSING.measuring;
  const isLost = [pair.here, pair.yonder].some((render) => alignments.get(render.id)?.found === false);
  return isLost ? MISSING.notAligned : MISSING.hereSilent;
}

function nullText({ pair, alignments, figures }: Results): string {
  if (pair && pair.here.id === pair.yonder.id) return "the same";
  if (!pair || !figures) return "…";
  // A null between renders that are not aligned says nothing.
  if ([pair.here, pair.yonder].some((render) => alignments.get(render.id)?.found === false)) return NO_FIGURE;
  if (figures.here.rmsDbfs === null) return NO_FIGURE;
  if (figures.identical === "bit" || figures.nullDb === null) return "silence";
  return decibels(figures.nullDb);
}

/** In what way the two are the same, and over how much of the region where one of them lacks a part of it. */
function identityText({ figures, region }: Results): string {
  if (!figures || !region) return "";
  const share = (figures.judged.endFrame - figures.judged.startFrame) / (region.endFrame - region.startFrame);
  return [figures.identical === "no" ? "" : IDENTICAL_WORDS[figures.identical], overlapWords(share)]
    .filter(Boolean)
    .join(", ");
}

function Figures() {
  const results = useResults();
  const { pair, figures } = results;
  const level = figures && levelDifference(figures.here, figures.yonder);
  const remaining = figures && levelDifference(figures.hereMatched, figures.yonderMatched);
  const target = figures?.hereMatched.integratedLufs ?? figures?.hereMatched.rmsDbfs ?? null;
  return (
    <div className="grid grid-cols-[auto_auto_auto] items-center gap-x-3">
      <FigureList
        rows={[
          {
            label: "Yonder − Here",
            about: "levelDifference",
            text: figures ? withUnit(signed(level?.value), level?.unit ?? "LU") : "…",
            id: "level-apart",
            why: figures ? MISSING.noLevel : MISSING.measuring,
            extra: pair?.passage.loop ? "in the loop" : "",
          },
          { label: "", about: "delay", text: delayDifference(results), id: "time-apart", why: MISSING.measuring },
        ]}
      />
      <button
        type="button"
        aria-label="Swap Here and Yonder"
        title="Swap Here and Yonder (X)"
        onClick={() => pair && void crossOver(pair.passage)}
        className="grid size-9 cursor-pointer place-items-center rounded-full border border-base-content bg-base-100"
      >
        <ArrowLeftRight size={16} />
      </button>
      <FigureList
        rows={[
          {
            label: "Matched to",
            about: "matchedTo",
            text: figures ? decibels(target, level?.unit === "dB" ? "dBFS" : "LUFS") : "…",
            extra: remaining ? `${withUnit(number(remaining.value, 2), remaining.unit)} remaining` : "",
            id: "matched-to",
            why: figures ? MISSING.noLevel : MISSING.measuring,
          },
          {
            label: "Null depth",
            about: "nullDepth",
            text: nullText(results),
            extra: identityText(results),
            id: "nulls-to",
            why: whyNoNull(results),
            colour: "text-difference",
          },
        ]}
      />
    </div>
  );
}

function FigureList({
  rows,
}: {
  rows: { label: string; about: FigureKey; text: string; why: string; extra?: string; id: string; colour?: string }[];
}) {
  return (
    <dl className="grid grid-cols-[auto_auto_auto] items-baseline gap-x-3 gap-y-0.5 text-[12.5px]">
      {rows.map(({ label, about, text, why, extra, id, colour }) => (
        <div key={id} className="contents">
          <dt className="text-soft">
            {label ? <WhatIs figure={about}>{label}</WhatIs> : <span className="sr-only">Delay of Yonder re Here</span>}
          </dt>
          <dd data-figure={id} className={`figure text-right ${colour ?? ""}`}>
            <Figure text={text} why={why} />
          </dd>
          <dd className="figure text-[11px] text-soft">{extra}</dd>
        </div>
      ))}
    </dl>
  );
}
