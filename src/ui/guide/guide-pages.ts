import { z } from "zod";

export const guidePagesSchema = z.array(z.object({ name: z.string(), title: z.string(), text: z.string() }));
export type GuidePage = z.infer<typeof guidePagesSchema>[number];

/** How often each page holds all words of a search; every page where nothing is searched for. */
export function pagesWith(pages: readonly GuidePage[], search: string): { page: GuidePage; count: number }[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return pages.map((page) => ({ page, count: 0 }));
  return pages.flatMap((page) => {
    const text = page.text.toLowerCase();
    const counts = words.map((word) => text.split(word).length - 1);
    const count = Math.min(...counts);
    return count > 0 ? [{ page, count }] : [];
  });
}
