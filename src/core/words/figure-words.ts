/** What a figure is: its definition, what it is measured re, after which source, how closely it is known, and where the docs say more. */
export type FigureWords = {
  title: string;
  /** Heading of `docs/figures.md`, as its link reads. */
  section: string;
  definition: string;
  reference: string;
  source: string;
  error: string;
};
