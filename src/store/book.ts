import { PLAYBACK_SPL_DB } from "@/core/audibility/ear-model";
import type { Moment } from "@/core/audibility/heard";
import { onAPage } from "@/core/bench/page";
import { isRightOrWrong } from "@/core/blind/plan";
import type { Stimulus } from "@/core/blind/run";
import {
  type Book,
  type CellFacts,
  candidateByRender,
  type DryDifference,
  type OpenBook,
  openBook,
  type PairFacts,
} from "@/core/findings/book";
import { METHOD_UNITS, type PassageMatch } from "@/core/matching/match-passage";
import { benchSentences } from "@/core/words/bench";
import { explainSentence, mainCauseWords } from "@/core/words/explain";
import { dynamicsWords } from "@/core/words/findings";
import { database } from "./database";
import { heardOf, keptLadder, ladderFor } from "./explaining";
import { measuredMatch, pairFigures } from "./levelling";
import { type Asking, wholeOf } from "./line-up";
import { measuredOf } from "./measurements";
import type { Passage, Render } from "./records";

/** How far a render is from the dry one of its passage. */
export async function againstDry(
  render: Render,
  dry: Render,
  asking: Asking,
): Promise<Pick<CellFacts, "nullDb" | "identical">> {
  if (render.id === dry.id) return { nullDb: null, identical: "bit" };
  const { nullDb, identical } = await pairFigures(dry, render, dry, wholeOf(dry), asking);
  return { nullDb, identical };
}

/**
 * What sets a render apart from the dry one, in words. With `isAsked` it is worked out where it was not before; else undefined says
 * that it was not.
 */
export async function differenceFromDry(
  render: Render,
  dry: Render,
  isAsked: boolean,
  asking: Asking,
): Promise<DryDifference | undefined> {
  if (render.id === dry.id) return undefined;
  const pair = { here: dry, yonder: render, dry };
  const region = wholeOf(dry);
  const ladder = isAsked ? await ladderFor(pair, region, asking) : await keptLadder(pair, region, asking);
  if (!ladder) return undefined;
  return { sentence: explainSentence(ladder), main: mainCauseWords(ladder) };
}

/** What a render is favoured by before matching, by its id. */
export function levelOffsetsOf({ method, renders }: PassageMatch): Map<string, CellFacts["levelOffset"]> {
  const unit = METHOD_UNITS[method].difference;
  return new Map(
    [...renders].map(([id, { levelOffset }]) => [id, levelOffset === null ? null : { value: levelOffset, unit }]),
  );
}

/** A cell with what is known of it without working anything out. */
export function cellOfRender(render: Render, dry: Render, levelOffset: CellFacts["levelOffset"]): CellFacts {
  const { passageId, candidateId, id: renderId, levels } = render;
  return {
    passageId,
    candidateId,
    renderId,
    isDry: render.id === dry.id,
    levelOffset,
    nullDb: undefined,
    identical: undefined,
    dryDifference: undefined,
    dynamics: render.id === dry.id ? null : dynamicsWords(levels, dry.levels),
  };
}

/** Two renders that were heard against each other in some run, as they lie now. */
export type HeardPair = { passage: Passage; here: Render; yonder: Render; dry: Render };

/** The pairs of a comparison's right-or-wrong runs whose renders are here, each once. */
export async function heardPairs(comparisonId: string): Promise<HeardPair[]> {
  const [runs, passages, renders] = await Promise.all([
    database.runs.where({ comparisonId }).toArray(),
    database.passages.where({ comparisonId }).toArray(),
    database.renders.where({ comparisonId }).toArray(),
  ]);
  const find = ({ renderId, audioHash }: Stimulus) =>
    renders.find((r) => r.id === renderId) ?? renders.find((r) => r.audioHash === audioHash);
  const pairs = new Map<string, HeardPair>();
  for (const { plan, stimuli, passageId } of runs) {
    if (!isRightOrWrong(plan)) continue;
    const [here, yonder] = stimuli.map(find);
    const passage = passages.find((p) => p.id === passageId);
    const dry = renders.find((r) => r.id === passage?.dryRenderId);
    if (!passage || !here || !yonder || !dry || here.passageId !== passageId || yonder.passageId !== passageId)
      continue;
    const key = `${passageId} ${[here.id, yonder.id].sort().join(" ")}`;
    if (here.id !== yonder.id) pairs.set(key, { passage, here, yonder, dry });
  }
  return [...pairs.values()];
}

/** What the figures say of such a pair, and where it tells most. */
export async function factsOfPair(pair: HeardPair, asking: Asking): Promise<PairFacts> {
  const { passage, here, yonder, dry } = pair;
  const { identical, nullDb } = await pairFigures(here, yonder, dry, wholeOf(dry), asking);
  const moment = identical === "no" ? await tellingMoment(pair, asking) : null;
  return { passageId: passage.id, candidateIds: [here.candidateId, yonder.candidateId], identical, nullDb, moment };
}

/** Where the difference of two renders stands out most at the gains of their match, by estimate; null where there is none. */
export async function tellingMoment({ passage, here, yonder, dry }: HeardPair, asking: Asking): Promise<Moment | null> {
  const renders = await database.renders.where({ passageId: passage.id }).toArray();
  const match = await measuredMatch(passage, dry, renders);
  const gainOf = (render: Render) => match.renders.get(render.id)?.gainDb ?? 0;
  const mask = await heardOf(
    { here, yonder, dry },
    wholeOf(dry),
    gainOf(here) - gainOf(yonder),
    PLAYBACK_SPL_DB,
    asking,
  );
  return mask.moments[0] ?? null;
}

/** What a person wrote, said and measured: the part of the book that is read, not worked out. */
export async function writtenBook(comparisonId: string): Promise<Omit<Book, "cells" | "pairs">> {
  const [passages, candidates, runs, sighted, findings, measured] = await Promise.all([
    database.passages.where({ comparisonId }).sortBy("position"),
    database.candidates.where({ comparisonId }).sortBy("position"),
    database.runs.where({ comparisonId }).sortBy("createdAt"),
    database.sightedVerdicts.where({ comparisonId }).sortBy("createdAt"),
    database.findings.where({ comparisonId }).toArray(),
    measuredOf(comparisonId),
  ]);
  const bench = new Map(
    measured.map(({ candidate, report }) => [candidate.id, onAPage(benchSentences(report)).sentences]),
  );
  return { passages, candidates, runs, sighted, findings, bench };
}

/** `withFigures`: how far each render is from its dry one, which takes a while where nobody has looked yet. */
export type BookOptions = Asking & { withFigures: boolean };

/** The book of a comparison at once; what sets renders apart is reported where it was worked out before. */
export async function bookOf(comparisonId: string, { withFigures, ...asking }: BookOptions): Promise<OpenBook> {
  const [written, passages, renders] = await Promise.all([
    writtenBook(comparisonId),
    database.passages.where({ comparisonId }).sortBy("position"),
    database.renders.where({ comparisonId }).toArray(),
  ]);
  const cells: CellFacts[] = [];
  for (const passage of passages) {
    const own = renders.filter((r) => r.passageId === passage.id);
    const dry = own.find((r) => r.id === passage.dryRenderId);
    if (dry) cells.push(...(await cellsOf(passage, dry, own, withFigures, asking)));
  }
  const pairs = await Promise.all((await heardPairs(comparisonId)).map((pair) => factsOfPair(pair, asking)));
  return openBook({ ...written, cells, pairs }, candidateByRender(renders));
}

async function cellsOf(
  passage: Passage,
  dry: Render,
  renders: readonly Render[],
  withFigures: boolean,
  asking: Asking,
): Promise<CellFacts[]> {
  const levelOffsets = levelOffsetsOf(await measuredMatch(passage, dry, renders));
  return Promise.all(
    renders.map(async (render) => ({
      ...cellOfRender(render, dry, levelOffsets.get(render.id) ?? null),
      ...(withFigures && {
        ...(await againstDry(render, dry, asking)),
        dryDifference: await differenceFromDry(render, dry, false, asking),
      }),
    })),
  );
}
