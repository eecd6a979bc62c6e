import { measurementOfVersion2 } from "../bench/earlier-reports";

/** The index of an archive as JSON, of some version. */
export type ArchiveJson = Record<string, unknown>;

const rows = (archive: ArchiveJson, name: string): ArchiveJson[] => (archive[name] ?? []) as ArchiveJson[];

/** What makes an archive of one version one of the next, by the version it begins from. */
export const MIGRATIONS: Record<number, (archive: ArchiveJson) => ArchiveJson> = {
  1: (archive) => ({
    ...archive,
    comparison: { ...(archive.comparison as ArchiveJson), runsChains: false },
    candidates: rows(archive, "candidates").map((candidate) => ({ ...candidate, versionOf: null })),
    findings: [],
  }),
  2: (archive) => ({ ...archive, measurements: rows(archive, "measurements").map(measurementOfVersion2) }),
  // Runs may be sealed with their titles, and signed: what was there stays as it is.
  3: (archive) => archive,
};
