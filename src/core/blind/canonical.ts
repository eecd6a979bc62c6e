/** JSON of plain data with the keys of every object in order of their code units and no spaces: equal data, equal text (as RFC 8785 orders keys). */
export function canonicalJson(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map((item) => canonicalJson(item ?? null)).join()}]`;
  if (typeof value === "object" && value !== null) {
    const entries = Object.entries(value).filter(([, part]) => part !== undefined);
    entries.sort(([a], [b]) => (a < b ? -1 : 1));
    return `{${entries.map(([key, part]) => `${JSON.stringify(key)}:${canonicalJson(part)}`).join()}}`;
  }
  return JSON.stringify(value);
}
