import { copyOf, templateOf } from "@/core/archive/copies";
import type { Searched } from "@/core/findings/search";
import { newId, now } from "./comparisons";
import { database } from "./database";
import { freeIn } from "./import-files";
import { addWhole, wholeComparison } from "./whole";

async function freeTitle(title: string): Promise<string> {
  const known = await database.comparisons.toArray();
  return freeIn(new Set(known.map((c) => c.title)), title);
}

/** A comparison once more, beside itself; its runs stay with the first. The id of the second. */
export async function duplicateComparison(id: string): Promise<string> {
  const whole = await wholeComparison(id);
  const title = await freeTitle(`${whole.comparison.title}, copy`);
  const copy = copyOf(whole, title, now(), newId);
  await addWhole({ ...copy, runs: [], seals: [], packs: [] });
  return copy.comparison.id;
}

/** The same candidates for a new passage. The id of the comparison that waits for it. */
export async function sameCandidates(id: string): Promise<string> {
  const whole = await wholeComparison(id);
  const title = await freeTitle(`${whole.comparison.title}, new passage`);
  const copy = templateOf(whole, title, now(), newId);
  await addWhole({ ...copy, runs: [], seals: [], packs: [] });
  return copy.comparison.id;
}

/** Every text of every comparison, those last changed first. */
export async function searchedTexts(): Promise<Searched[]> {
  const [comparisons, passages, candidates, renders, notes, moments, sighted, findings, runs] = await Promise.all([
    database.comparisons.orderBy("updatedAt").reverse().toArray(),
    database.passages.toArray(),
    database.candidates.toArray(),
    database.renders.toArray(),
    database.notes.toArray(),
    database.moments.toArray(),
    database.sightedVerdicts.toArray(),
    database.findings.toArray(),
    database.runs.toArray(),
  ]);
  const texts = [
    ...comparisons.map(({ id, title }) => ({ comparisonId: id, what: "title", text: title })),
    ...passages.map(({ comparisonId, title }) => ({ comparisonId, what: "passage", text: title })),
    ...candidates.flatMap(({ comparisonId, title, version, summary, notes: own, settings }) => [
      { comparisonId, what: "candidate", text: [title, version, summary, own].filter(Boolean).join(", ") },
      ...settings.map((s) => ({
        comparisonId,
        what: "setting",
        text: `${title}: ${s.parameter} ${s.value} ${s.unit} ${s.note}`.trim(),
      })),
    ]),
    ...renders.map(({ comparisonId, fileName }) => ({ comparisonId, what: "file", text: fileName })),
    ...notes.map(({ comparisonId, text }) => ({ comparisonId, what: "note", text })),
    ...moments.map(({ comparisonId, words, text }) => ({
      comparisonId,
      what: "note",
      text: [...words, text].join(" "),
    })),
    ...sighted.map(({ comparisonId, why }) => ({ comparisonId, what: "sighted verdict", text: why })),
    ...findings.map(({ comparisonId, good, bad, price, effort }) => ({
      comparisonId,
      what: "verdict",
      text: [good, bad, price, effort].filter(Boolean).join(", "),
    })),
    ...runs.map(({ comparisonId, listener, stimuli }) => ({
      comparisonId,
      what: "run",
      text: [listener?.code, ...stimuli.map(({ title }) => title)].filter(Boolean).join(", "),
    })),
  ];
  const place = new Map(comparisons.map(({ id }, i) => [id, i]));
  return texts
    .filter(({ comparisonId, text }) => place.has(comparisonId) && text !== "")
    .sort((a, b) => (place.get(a.comparisonId) ?? 0) - (place.get(b.comparisonId) ?? 0));
}
