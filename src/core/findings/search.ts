/** A text of a comparison that can be found again. */
export type Searched = { comparisonId: string; what: string; text: string };

/** A comparison that was found, with what in it holds the words; nothing where its own title does. */
export type Found = { comparisonId: string; hits: Searched[] };

/** Hits reported of one comparison. */
const MOST_HITS = 3;

/** Letters as they are compared: without case and accents. */
const folded = (text: string): string =>
  text
    .normalize("NFKD")
    .replace(/[\u0300-\u036f]/g, "")
    .toLowerCase();

/** The comparisons in which one text holds every word that is looked for, in the order of `texts`; all of them where no word is. */
export function search(query: string, texts: readonly Searched[]): Found[] {
  const words = folded(query).split(/\s+/).filter(Boolean);
  const found = new Map<string, Found>();
  for (const searched of texts) {
    const text = folded(searched.text);
    if (!words.every((word) => text.includes(word))) continue;
    const known = found.get(searched.comparisonId) ?? { comparisonId: searched.comparisonId, hits: [] };
    found.set(searched.comparisonId, known);
    if (words.length > 0 && searched.what !== "title" && known.hits.length < MOST_HITS) known.hits.push(searched);
  }
  return [...found.values()];
}
