/** A file name from a title: letters, digits and single hyphens. */
export function fileNameOf(title: string, ending: string): string {
  const stem = title
    .normalize("NFKD")
    .replace(/[^\p{Letter}\p{Number}]+/gu, "-")
    .replace(/^-+|-+$/g, "")
    .toLowerCase();
  return `${stem || "comparison"}.${ending}`;
}
