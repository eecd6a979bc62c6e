import { fileNameOf } from "./file-name";

export const PACK_KINDS = ["matched", "delivered", "residual"] as const;
export type PackKind = (typeof PACK_KINDS)[number];

/** One file of a render pack, with what was measured of exactly that sound. */
export type PackFigures = {
  file: string;
  passage: string;
  candidate: string;
  kind: PackKind;
  sampleRateHz: number;
  channelCount: number;
  frames: number;
  /** Put on the render as it came, aligned. */
  gainDb: number;
  integratedLufs: number | null;
  truePeakDbtp: number | null;
  rmsDbfs: number | null;
};

const part = (title: string): string => fileNameOf(title, "x").slice(0, -2);

/** Tidy names of a pack's files, no two alike: `passage__candidate__matched.wav`. */
export function packFileNames(
  files: readonly { passage: string; candidate: string; kind: PackKind }[],
  ending: string,
): string[] {
  const taken = new Set<string>();
  return files.map(({ passage, candidate, kind }) => {
    for (let n = 1; ; n++) {
      const name = `${part(passage)}__${part(candidate)}${n > 1 ? `-${n}` : ""}__${kind}.${ending}`;
      if (taken.has(name)) continue;
      taken.add(name);
      return name;
    }
  });
}

const KIND_WORDS: Record<PackKind, string> = {
  matched: "aligned to dry and level-matched",
  delivered: "aligned to dry, at original level",
  residual: "matched render − dry at the same level",
};

/** The read-me of a pack, in plain text. */
export function packReadMe(
  title: string,
  writtenAt: string,
  files: readonly PackFigures[],
  { isBlind, leftOut }: { isBlind: boolean; leftOut: readonly string[] },
): string {
  const kinds = PACK_KINDS.filter((kind) => files.some((f) => f.kind === kind));
  const figure = (value: number | null, unit: string) =>
    value === null ? `no ${unit}` : `${value.toFixed(1)} ${unit}`;
  return [
    title,
    `Renders, written ${writtenAt.slice(0, 10)} by Yonder Pair.`,
    "",
    "Files are named passage__candidate__kind. All files of a passage share start, length and sample rate:",
    "put them on parallel tracks, all starting at 0, and switch.",
    ...kinds.map((kind) => `  ${kind}: ${KIND_WORDS[kind]}.`),
    ...(isBlind ? ["", "Candidates go by letters. Their names are in a separate file, not in this pack."] : []),
    ...(leftOut.length > 0 ? ["", "Left out, because not aligned:", ...leftOut.map((name) => `  ${name}`)] : []),
    "",
    "Measured on these files (ITU-R BS.1770-5, mono as played on both sides; figures.csv and figures.json have more):",
    ...files.map(
      (f) =>
        `  ${f.file}: ${figure(f.integratedLufs, "LUFS")}, ${figure(f.truePeakDbtp, "dBTP")}, ${(f.frames / f.sampleRateHz).toFixed(3)} s`,
    ),
    "",
  ].join("\r\n");
}
