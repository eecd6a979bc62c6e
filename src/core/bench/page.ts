/** Sentences that a page has room for. */
const MOST_SENTENCES = 8;

/** The sentences of a page, eight at the most, and what is reported in small print beneath. */
export const onAPage = (sentences: readonly string[]): { sentences: string[]; others: string[] } => ({
  sentences: sentences.slice(0, MOST_SENTENCES),
  others: sentences.slice(MOST_SENTENCES),
});
