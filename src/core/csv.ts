type Field = string | number | null;

/** A field of a CSV (RFC 4180). What a spreadsheet would take for a formula begins with an apostrophe, as is common practice. */
function csvField(value: Field): string {
  if (value === null) return "";
  if (typeof value === "number") return Number.isFinite(value) ? String(value) : "";
  const safe = /^[=+\-@\t\r]/.test(value) ? `'${value}` : value;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

/** Rows as CSV (RFC 4180), the heads first. */
export const csvText = (rows: readonly (readonly Field[])[]): string =>
  `${rows.map((cells) => cells.map(csvField).join(",")).join("\r\n")}\r\n`;
