import { z } from "zod";
import { ALIGNMENT_VERSION } from "@/core/alignment/alignment";
import { ARCHIVE_VERSION } from "@/core/archive/archive";
import { HEARD_VERSION } from "@/core/audibility/heard";
import { BENCH_VERSION } from "@/core/bench/report";
import { shuffled } from "@/core/blind/order";
import { PAIR_VERSION } from "@/core/difference/pair";
import { TONE_POINTS, toneOf } from "@/core/explain/band-difference";
import { fileNameOf } from "@/core/findings/file-name";
import {
  type RenderFigures,
  type Report,
  type ReportOptions,
  type ReportSource,
  reportOf,
} from "@/core/findings/report";
import { reportHtml } from "@/core/findings/report-html";
import { reportCsv, reportMarkdown } from "@/core/findings/report-text";
import { LADDER_VERSION } from "@/core/ladder/ladder-report";
import { dynamicsOf, LEVELS_VERSION } from "@/core/loudness/measure";
import { METHOD_UNITS, type PassageMatch } from "@/core/matching/match-passage";
import { COHERENT } from "@/core/spectrum/transfer";
import { bookOf } from "./book";
import { now } from "./comparisons";
import { database, SCHEMA_VERSION } from "./database";
import { keptLadder, spectraOf } from "./explaining";
import type { ExportedFile } from "./export-renders";
import { levelsOver, measuredMatch } from "./levelling";
import { type Asking, alignmentOf, handOf, inForce, wholeOf } from "./line-up";
import { measuredOf } from "./measurements";
import type { Passage, Render } from "./records";
import { reportFonts } from "./report-fonts";
import { randomBytes } from "./runs";
import { readSetting, writeSetting } from "./settings";

export const REPORT_FORMS = ["HTML", "Markdown", "CSV", "JSON"] as const;
export type ReportForm = (typeof REPORT_FORMS)[number];

const WRITERS: Record<
  ReportForm,
  { ending: string; type: string; text: (report: Report) => string | Promise<string> }
> = {
  HTML: { ending: "html", type: "text/html", text: reportPage },
  Markdown: { ending: "md", type: "text/markdown", text: reportMarkdown },
  CSV: { ending: "csv", type: "text/csv", text: reportCsv },
  JSON: { ending: "json", type: "application/json", text: (report) => JSON.stringify(report, null, 2) },
};

/** A report as the page that is saved and previewed, with its type inside. */
export async function reportPage(report: Report): Promise<string> {
  return reportHtml(report, await reportFonts());
}

/** A report of a comparison as a file. */
export async function reportFile(
  comparisonId: string,
  form: ReportForm,
  options: Pick<ReportOptions, "parts"> & { isBlind: boolean },
  asking: Asking = {},
): Promise<ExportedFile> {
  const { report, title } = await makeReport(comparisonId, options, asking);
  const { ending, type, text } = WRITERS[form];
  return { name: fileNameOf(`${title} findings`, ending), blob: new Blob([await text(report)], { type }) };
}

/** A report as plain data. */
export async function makeReport(
  comparisonId: string,
  { parts, isBlind }: Pick<ReportOptions, "parts"> & { isBlind: boolean },
  asking: Asking = {},
): Promise<{ report: Report; title: string }> {
  const withFigures = parts.includes("figures") || parts.includes("pictures");
  const [book, source] = await Promise.all([
    bookOf(comparisonId, { ...asking, withFigures }),
    sourceOf(comparisonId, withFigures, asking),
  ]);
  const blindNames = isBlind ? await blindNamesOf(comparisonId) : null;
  return { report: reportOf(book, source, { parts, blindNames }), title: source.title };
}

/** What figures were worked out by, for whoever compares two reports. */
const VERSIONS = {
  tables: SCHEMA_VERSION,
  archive: ARCHIVE_VERSION,
  levels: LEVELS_VERSION,
  alignment: ALIGNMENT_VERSION,
  pair: PAIR_VERSION,
  ladder: LADDER_VERSION,
  mask: HEARD_VERSION,
  bench: BENCH_VERSION,
};

async function sourceOf(comparisonId: string, withFigures: boolean, asking: Asking): Promise<ReportSource> {
  const comparison = await database.comparisons.get(comparisonId);
  if (!comparison) throw new Error("This comparison is no longer in this browser.");
  const [passages, candidates, renders, notes, moments, measured] = await Promise.all([
    database.passages.where({ comparisonId }).sortBy("position"),
    database.candidates.where({ comparisonId }).sortBy("position"),
    database.renders.where({ comparisonId }).toArray(),
    database.notes.where({ comparisonId }).toArray(),
    database.moments.where({ comparisonId }).sortBy("frame"),
    measuredOf(comparisonId),
  ]);
  const figures: RenderFigures[] = [];
  for (const passage of passages) {
    const own = renders.filter((r) => r.passageId === passage.id);
    const dry = own.find((r) => r.id === passage.dryRenderId);
    if (dry && withFigures) figures.push(...(await figuresOn(passage, dry, own, asking)));
  }
  return {
    title: comparison.title,
    writtenAt: now(),
    versions: VERSIONS,
    renders: figures,
    candidates: candidates.map(({ id, version, summary, settings }) => ({
      id,
      version,
      summary,
      settings,
      bench: measured.find(({ candidate }) => candidate.id === id)?.report ?? null,
    })),
    notes: notes.map(({ runId, text }) => ({ runId, text })),
    moments: moments.map(({ passageId, renderId, frame, words, text }) => {
      const passage = passages.find((p) => p.id === passageId);
      const dry = renders.find((r) => r.id === passage?.dryRenderId);
      return {
        passageId,
        candidateId: renders.find((r) => r.id === renderId)?.candidateId ?? null,
        seconds: frame / (dry?.sampleRateHz ?? 48_000),
        words: [words.join(", "), text].filter(Boolean).join(": "),
      };
    }),
  };
}

async function figuresOn(
  passage: Passage,
  dry: Render,
  renders: readonly Render[],
  asking: Asking,
): Promise<RenderFigures[]> {
  const match = await measuredMatch(passage, dry, renders);
  return Promise.all(renders.map((render) => figuresOfRender(render, dry, passage, match, asking)));
}

/** Every figure of a render but what it comes to against the dry one, which the book has. */
async function figuresOfRender(
  render: Render,
  dry: Render,
  passage: Passage,
  match: PassageMatch,
  asking: Asking,
): Promise<RenderFigures> {
  const alignment = inForce(render, dry, await alignmentOf(render, dry, asking));
  const measured = await levelsOver(render, dry, wholeOf(dry), 0, asking);
  const { gating: _gating, channels: _channels, ...levels } = measured;
  const isDry = render.id === dry.id;
  const ladder = isDry ? null : await keptLadder({ here: dry, yonder: render, dry }, wholeOf(dry), asking);
  const own = match.renders.get(render.id);
  return {
    passageId: passage.id,
    candidateId: render.candidateId,
    isDry,
    sampleRateHz: render.sampleRateHz,
    channelCount: render.channelCount,
    seconds: render.frames / render.sampleRateHz,
    encoding: render.encoding,
    levels: { ...levels, crestDb: dynamicsOf(measured).crestDb },
    alignment: alignment.found
      ? {
          delaySamples: alignment.delaySamples,
          delayErrorSamples: alignment.delayErrorSamples,
          polarityLeft: alignment.polarity.left,
          polarityRight: alignment.polarity.right,
          isSwapped: alignment.swapped,
          driftPpm: alignment.driftPpm,
          confidence: alignment.confidence,
          isByHand: handOf(render, dry) !== null,
        }
      : null,
    match: {
      method: match.method,
      over: passage.match.over,
      gainDb: own?.gainDb ?? null,
      edge: own?.levelOffset ?? null,
      unit: METHOD_UNITS[match.method].difference,
      matchedLufs: own ? (await levelsOver(render, dry, wholeOf(dry), own.gainDb, asking)).integratedLufs : null,
    },
    ladder: ladder?.steps.map(({ step, residualDb }) => ({ step, residualDb })) ?? [],
    tone: isDry ? null : await toneOver(render, dry, asking),
  };
}

async function toneOver(render: Render, dry: Render, asking: Asking): Promise<RenderFigures["tone"]> {
  const averaged = await spectraOf([dry, render], dry, wholeOf(dry), { points: TONE_POINTS, view: "both", asking });
  if (!averaged) return null;
  const { hertz, differenceDb, coherence } = toneOf(averaged, 0);
  // Where the two do not go together there is no filter to be drawn.
  const isKnown = (i: number) => Number.isFinite(differenceDb[i]) && coherence[i] >= COHERENT;
  const known = [...differenceDb].filter((_, i) => isKnown(i)).sort((a, b) => a - b);
  // At one level: about the middle of what the bands differ by.
  const middle = known[known.length >> 1] ?? 0;
  return {
    hertz: [...hertz],
    differenceDb: [...differenceDb].map((db, i) => (isKnown(i) ? Number((db - middle).toFixed(3)) : null)),
  };
}

const blindNamesSchema = z.record(z.string(), z.string());

/** Names that stand for a comparison's candidates wherever they are kept blind: drawn once, so that report and pack agree. The dry one keeps its own. */
export async function blindNamesOf(comparisonId: string): Promise<Map<string, string>> {
  const key = `blind names ${comparisonId}`;
  const known = (await readSetting(key, blindNamesSchema)) ?? {};
  const [passages, renders, candidates] = await Promise.all([
    database.passages.where({ comparisonId }).toArray(),
    database.renders.where({ comparisonId }).toArray(),
    database.candidates.where({ comparisonId }).toArray(),
  ]);
  const dry = new Set(passages.map(({ dryRenderId }) => renders.find((r) => r.id === dryRenderId)?.candidateId));
  const wanting = candidates.map(({ id }) => id).filter((id) => !dry.has(id) && !known[id]);
  const names = { ...known };
  for (const id of shuffled(wanting, randomBytes)) names[id] = `Candidate ${lettersOf(Object.keys(names).length)}`;
  if (wanting.length > 0) await writeSetting(key, names);
  return new Map(Object.entries(names));
}

const LETTERS = 26;
/** A, B, … Z, AA, AB … */
const lettersOf = (n: number): string =>
  (n >= LETTERS ? lettersOf(Math.floor(n / LETTERS) - 1) : "") + String.fromCharCode(65 + (n % LETTERS));
