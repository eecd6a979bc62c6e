/** A file name from a title: letters, digits and single hyphens. */
export function fileNameOf(title: string, ending: string): string {
  const stem = title
    .normalize("NFKD")
    // An ä without its dots is an a, not two words.
    .replace(/[\u0300-\u036f]/g, "")
    .replace(/[^\p{Letter}\p{Number}]+/gu, "-")
    .replace(/^-+|-+$/g, "")
    .toLowerCase();
  return `${stem || "untitled"}.${ending}`;
}
