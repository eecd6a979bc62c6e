/** The index of an archive as JSON, of some version. */
export type ArchiveJson = Record<string, unknown>;

/** What makes an archive of one version one of the next, by the version it begins from. */
export const MIGRATIONS: Record<number, (archive: ArchiveJson) => ArchiveJson> = {};
