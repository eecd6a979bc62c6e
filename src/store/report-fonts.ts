import type { ReportFont } from "@/core/findings/report-style";

/** The product's typefaces, Latin alone: what a report carries with it. */
const FACES = [
  {
    family: "Bricolage Grotesque",
    weight: "200 800",
    url: () =>
      new URL(
        "@fontsource-variable/bricolage-grotesque/files/bricolage-grotesque-latin-wght-normal.woff2",
        import.meta.url,
      ),
  },
  {
    family: "IBM Plex Sans",
    weight: "100 700",
    url: () =>
      new URL("@fontsource-variable/ibm-plex-sans/files/ibm-plex-sans-latin-wght-normal.woff2", import.meta.url),
  },
  {
    family: "IBM Plex Mono",
    weight: "400",
    url: () => new URL("@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-400-normal.woff2", import.meta.url),
  },
] as const;

const dataUrlOf = (blob: Blob): Promise<string> =>
  new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () => reject(reader.error);
    reader.readAsDataURL(blob);
  });

let kept: Promise<ReportFont[]> | null = null;

/** Typefaces as data URLs, read once from what the app ships; none where they cannot be read: a report then takes the machine's. */
export function reportFonts(): Promise<ReportFont[]> {
  kept ??= Promise.all(
    FACES.map(async ({ family, weight, url }) => {
      const answer = await fetch(url());
      if (!answer.ok) throw new Error(`${family} could not be read`);
      const blob = new Blob([await answer.arrayBuffer()], { type: "font/woff2" });
      return { family, weight, dataUrl: await dataUrlOf(blob) };
    }),
  ).catch(() => {
    kept = null;
    return [];
  });
  return kept;
}
