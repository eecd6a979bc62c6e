import { beforeAll, describe, expect, it } from "vitest";
import { benchChain } from "../bench/bench";
import { SMALL_FORM } from "../testing/bench";
import { abxBetween, bookOf, DRY, favouriteAmong, findingFor, NAMES, renderId, sightedFor } from "../testing/book";
import type { OpenBook } from "./book";
import { barPicture, eqPicture, eqReachDb } from "./pictures";
import { REPORT_PARTS, type RenderFigures, type ReportSource, reportOf } from "./report";
import { reportHtml } from "./report-html";
import { reportCsv, reportMarkdown } from "./report-text";

const HOSTILE = `<script src="http://x.test/a.js">|"'&`;
/** What the bench tells of something simple. */
const measured = benchChain([{ processorKey: "gain", settings: { gainDb: -3 } }], SMALL_FORM);
let book: OpenBook;

beforeAll(async () => {
  const runs = [
    await favouriteAmong(NAMES, 12, "Limit", 11, { id: "likes", code: "L1" }),
    await abxBetween(["Dry", "Bus"], 16, 9, {
      id: "untold",
      change: { overruled: [{ name: "level", said: "Bus is still 0.50 LU louder here than Dry." }] },
    }),
    { ...(await abxBetween(["Dry", "Drive"], 16, 9, { id: "open" })), finishedAt: null, result: null, opened: null },
  ];
  const findings = [
    { ...findingFor("Chime", "Limit", "first choice"), good: `loud ${HOSTILE}` },
    { ...findingFor(null, "Limit", null), price: "89 crowns", effort: "an hour" },
  ];
  book = bookOf({ runs, findings, sighted: [sightedFor("Chime", "Bus")] });
});

const figures = (passageId: string, candidateId: string): RenderFigures => ({
  passageId,
  candidateId,
  isDry: candidateId === DRY,
  sampleRateHz: 48_000,
  channelCount: 2,
  seconds: 10.5,
  encoding: `24-bit of ${candidateId}`,
  levels: {
    integratedLufs: -19.25,
    rangeLu: 4.5,
    maxMomentaryLufs: -14,
    maxShortTermLufs: -16,
    truePeakDbtp: -3.2,
    samplePeakDbfs: -3.4,
    rmsDbfs: -22,
    crestDb: 18.6,
  },
  alignment: {
    delaySamples: 64.25,
    delayErrorSamples: 0.01,
    polarityLeft: 1,
    polarityRight: -1,
    isSwapped: false,
    driftPpm: null,
    confidence: 0.98,
    isByHand: false,
  },
  match: { method: "integrated", over: "passage", gainDb: -1.2, edge: 1.2, unit: "LU", matchedLufs: -20.45 },
  ladder: [{ step: "level", residualDb: -20 }],
  tone: candidateId === DRY ? null : { hertz: [100, 1000, 10_000], differenceDb: [0, -1.5, null] },
});

const source = (): ReportSource => ({
  title: `Ferry ${HOSTILE}`,
  writtenAt: "2026-11-27T10:00:00.000Z",
  versions: { levels: 2, ladder: 5 },
  renders: book.cells.map(({ passageId, candidateId }) => figures(passageId, candidateId)),
  candidates: NAMES.map((id) => ({
    id,
    version: "1.2",
    summary: `${id} at work`,
    settings: [{ parameter: "Ratio", value: "4", unit: ":1", note: "" }],
    bench: id === "Bus" ? measured : null,
  })),
  notes: [{ runId: "untold", text: `Bus again ${HOSTILE}` }],
  moments: [{ passageId: "Chime", candidateId: "Bus", seconds: 4.25, words: "harsh" }],
});

const whole = () => reportOf(book, source(), { parts: REPORT_PARTS, blindNames: null });

describe("a report", () => {
  it("has what was said, what was shown, every figure, how it was done, and the digests of what was sealed", () => {
    const report = whole();
    expect(report.sentences.find(({ family }) => family === "compressors")?.says).toContain(
      "Limit is ahead of Dry, Bus and Drive",
    );
    expect(report.verdicts.find((v) => v.candidate === "Limit" && v.passage === "Chime")).toMatchObject({
      verdict: "first choice",
      known: [{ how: "favourites", says: "ahead of Dry, Bus and Drive" }],
    });
    expect(report.contradictions.map(({ says }) => says).join(" ")).toContain("Sighted, Bus was preferred");
    // An open run is told nothing of.
    expect(report.runs.map(({ form }) => form)).toEqual(["favourite", "abx"]);
    expect(report.runs[1]).toMatchObject({
      sealDigest: expect.stringMatching(/^[0-9a-f]{64}$/),
      left: 0.02,
      unit: "LU",
    });
    expect(report.runs[1].answers.filter((a) => a === "right")).toHaveLength(9);
    expect(report.renders).toHaveLength(8);
    expect(report.candidates.find(({ name }) => name === "Bus")?.benchFigures).toMatchObject({
      gainDbAt1k: expect.closeTo(-3, 1),
    });
    expect(report.candidates.find(({ name }) => name === "Drive")?.benchFigures).toBeNull();
    expect(report.method.join(" ")).toContain("matched by integrated");
  });

  it("has the parts that were chosen and no others", () => {
    const report = reportOf(book, source(), { parts: ["sentences"], blindNames: null });
    expect(report).toMatchObject({ parts: ["sentences"], verdicts: [], runs: [], renders: [], notes: [], method: [] });
    expect(reportHtml(report)).not.toMatch(/<h2>(?!Summary)/);
    expect(reportMarkdown(report).match(/^## /gm)).toHaveLength(1);
  });

  it("under blind names names nobody, in no form of it", () => {
    const blindNames = new Map([
      ["Limit", "Candidate A"],
      ["Bus", "Candidate B"],
      ["Drive", "Candidate C"],
    ]);
    const report = reportOf(book, source(), { parts: REPORT_PARTS, blindNames });
    expect(report.parts).not.toContain("settings");
    expect(report.candidates.map(({ name }) => name)).toEqual(["Candidate A", "Candidate B", "Candidate C", "Dry"]);
    for (const text of [reportHtml(report), reportMarkdown(report), reportCsv(report), JSON.stringify(report)]) {
      expect(text).toContain("Candidate A");
      expect(text).not.toMatch(/\b(Limit|Bus|Drive)\b/);
      // Nor what is as good as a name.
      expect(text).not.toMatch(/compressor|saturator|24-bit of|at work|loud <|crowns/);
    }
  });
});

describe("as HTML", () => {
  it("stands alone: no script, no address outside, nothing that was written by hand taken for a tag", () => {
    const html = reportHtml(whole());
    expect(html).not.toMatch(/<script/i);
    expect(html).not.toMatch(/<(img|link|iframe|object|embed|form)\b/i);
    expect(html.replaceAll("http://www.w3.org/2000/svg", "").replaceAll(/&lt;script.*?&gt;/g, "")).not.toMatch(
      /https?:|url\(|@import|\son\w+=/,
    );
    expect(html).toContain("&lt;script src=&quot;http://x.test/a.js&quot;&gt;|&quot;&#39;&amp;");
    expect(html).toContain("default-src 'none'");
    // Every tag that is opened is closed again.
    for (const tag of ["section", "table", "tr", "td", "article", "figure", "svg", "p", "div"])
      expect(html.match(new RegExp(`<${tag}[ >]`, "g"))?.length, tag).toBe(
        html.match(new RegExp(`</${tag}>`, "g"))?.length,
      );
  });

  it("has its pictures inside, told in words too", () => {
    const html = reportHtml(whole());
    expect(html.match(/<svg /g)?.length).toBe(2 + 6 + 1 + 2);
    expect(html).toContain("89 crowns");
    expect(html).toContain('aria-label="9 of 16 correct, in order"');
    expect(html).toContain('aria-label="Level offset re dry on Chime"');
  });
});

describe("pictures", () => {
  it("go left of nought and right of it, and say where there is no figure", () => {
    const picture = barPicture(
      "Edge",
      [
        { name: "a<b", value: -2 },
        { name: "c", value: 1 },
        { name: "d", value: null },
      ],
      "Level offset",
      "LU",
    );
    expect(picture).toContain("a&lt;b");
    expect(picture).toContain("−2.0\u2009LU");
    expect(picture).toContain("+1.0\u2009LU");
    expect(picture).toContain("no figure");
    expect(picture).toContain(">Level offset, LU<");
    const widths = [...picture.matchAll(/<rect [^>]*width="([\d.]+)"/g)].map(([, w]) => Number(w));
    expect(widths[0]).toBeCloseTo(2 * widths[1], 0);
    expect(widths[2]).toBe(0);
  });

  it("of EQ have one reach beside each other, and a gap where there is no figure", () => {
    expect(eqReachDb([{ differenceDb: [0.2, -2.4, null] }, { differenceDb: [1] }])).toBe(3);
    expect(eqReachDb([])).toBe(1);
    const curve = eqPicture("Bus", { hertz: [100, 200, 400, 800], differenceDb: [0, null, 1, 1] }, 3);
    expect(curve.match(/<path d="([^"]*)"/)?.[1].match(/M/g)).toHaveLength(2);
  });
});

describe("as Markdown and CSV", () => {
  it("takes no mark in a name for one of its own", () => {
    const text = reportMarkdown(whole());
    expect(text).toContain("# Ferry \\<script src=");
    const rows = text.split("\n").filter((line) => line.startsWith("| Limit"));
    for (const row of rows) expect(row.replaceAll("\\|", "").match(/\|/g)).toHaveLength(6);
  });

  it("has every figure in a row of its own, read again as it was written", () => {
    const csv = reportCsv(whole());
    // RFC 4180: quoted fields with doubled quotes, lines ended by CR LF.
    const lines = csv.trimEnd().split("\r\n");
    expect(lines[0]).toBe("of,passage,candidate,figure,value,unit");
    expect(lines).toContain("render,Chime,Bus,integrated loudness,-19.25,LUFS");
    expect(lines).toContain("render,Chime,Bus,delay,64.25,samples");
    expect(lines).toContain("render,Chime,Bus,drift,,ppm");
    expect(lines.filter((l) => l.startsWith("run 2,")).some((l) => l.includes("sealed digest"))).toBe(true);
    // What the bench measured, with where it stands.
    expect(lines.find((l) => l.startsWith("bench,,Bus,gain at 1 kHz,"))).toMatch(/,-3(\.\d+)?,dB$/);
    // A formula of a spreadsheet is text.
    const forged = reportOf(
      bookOf({ passages: [{ id: "Chime", title: "=cmd|' /C calc'!A0", dryRenderId: renderId("Chime", DRY) }] }),
      source(),
      { parts: ["figures"], blindNames: null },
    );
    expect(reportCsv(forged)).toContain("'=cmd|");
  });
});
