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
  /** Put on the render as it came, in step. */
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
  matched: "in step with the dry render and at one level with it",
  delivered: "in step with the dry render, at the level it came at",
  residual: "what is left of the matched render when the dry one, as loud as there, is taken off",
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
    "Files are named passage__candidate__kind. All files of a passage begin at the same moment, are equally long and have one sample rate:",
    "lay them on tracks beside each other, all starting at nought, and switch.",
    ...kinds.map((kind) => `  ${kind}: ${KIND_WORDS[kind]}.`),
    ...(isBlind
      ? ["", "Candidates go by letters. What they stand for is in a file of its own, which is not in this pack."]
      : []),
    ...(leftOut.length > 0
      ? ["", "Left out, for they could not be put in step:", ...leftOut.map((name) => `  ${name}`)]
      : []),
    "",
    "Measured of the files as they are (ITU-R BS.1770-5, mono as played on both sides; figures.csv and figures.json have more):",
    ...files.map(
      (f) =>
        `  ${f.file}: ${figure(f.integratedLufs, "LUFS")}, ${figure(f.truePeakDbtp, "dBTP")}, ${(f.frames / f.sampleRateHz).toFixed(3)} s`,
    ),
    "",
  ].join("\r\n");
}
