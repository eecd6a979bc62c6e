/** Sentences that a page has room for. */
const MOST_SENTENCES = 8;
/** What a law, times and a gain beside a tone say too, and more closely: the first to make room. */
const SAID_AGAIN = [/^Its response moves with level/];

/** The sentences of a page, eight at the most, and what is told in small print beneath. */
export function onAPage(sentences: readonly string[]): { sentences: string[]; others: string[] } {
  const isSpare = (sentence: string) => SAID_AGAIN.some((form) => form.test(sentence));
  const spare = sentences.length > MOST_SENTENCES ? sentences.filter(isSpare) : [];
  const first = sentences.filter((sentence) => !spare.includes(sentence));
  return { sentences: first.slice(0, MOST_SENTENCES), others: [...spare, ...first.slice(MOST_SENTENCES)] };
}
