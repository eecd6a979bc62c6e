import { csvText } from "@/core/csv";
import { fileNameOf } from "@/core/findings/file-name";
import { type PackFigures, type PackKind, packFileNames, packReadMe } from "@/core/findings/pack-files";
import { endingOf, type FileForm } from "@/core/formats/file-form";
import type { PassageMatch } from "@/core/matching/match-passage";
import { type Recipe, withGain } from "@/core/recipes/recipe";
import { now } from "./comparisons";
import { database } from "./database";
import type { ExportedFile } from "./export-renders";
import { measuredMatch } from "./levelling";
import { alignmentOf, inForce, recipeNow } from "./line-up";
import type { Passage, Render } from "./records";
import { blindNamesOf } from "./report";
import { resultOf, workOut } from "./results";
import { type ZipEntry, zipped } from "./zip";

export type RenderPackOrder = {
  comparisonId: string;
  /** The cells that go out. */
  renderIds: readonly string[];
  /** Besides the matched ones: as they came, and what remains of them over the dry one. */
  kinds: readonly Exclude<PackKind, "matched">[];
  form: FileForm;
  isBlind: boolean;
};

/** A pack, and the key of its names where they are blind. */
export type RenderPack = { pack: ExportedFile; key: ExportedFile | null };

type Piece = {
  render: Render;
  dry: Render;
  passage: string;
  candidate: string;
  kind: PackKind;
  gainDb: number;
  sound: Recipe;
};

/** Writes chosen renders aligned, equally long and at one level into one zip, with a read-me and figures of exactly these files. */
export async function writeRenderPack(order: RenderPackOrder, signal?: AbortSignal): Promise<RenderPack> {
  const { comparisonId, form, isBlind } = order;
  const comparison = await database.comparisons.get(comparisonId);
  if (!comparison) throw new Error("This comparison is no longer in this browser.");
  const blindNames = isBlind ? await blindNamesOf(comparisonId) : null;
  const { pieces, leftOut } = await piecesOf(order, blindNames);
  if (pieces.length === 0) throw new Error("None of these renders is aligned: nothing to write.");
  const names = packFileNames(pieces, endingOf(form));
  const writtenAt = now();
  const lastModified = new Date(writtenAt);
  const text = (words: string, type: string) => new Blob([words], { type });
  async function* entries(): AsyncGenerator<ZipEntry> {
    const figures: PackFigures[] = [];
    for (const [i, piece] of pieces.entries()) {
      const title = `Writing ${names[i]}, ${i + 1} of ${pieces.length}`;
      yield {
        name: names[i],
        input: await workOut("write", { sound: piece.sound, form }, { title, signal }),
        lastModified,
      };
      figures.push(await figuresOf(piece, names[i], signal));
    }
    const rows = figures.map((f) => Object.values(f));
    const readMe = packReadMe(comparison?.title ?? "", writtenAt, figures, { isBlind, leftOut });
    yield { name: "READ-ME.txt", input: text(readMe, "text/plain"), lastModified };
    yield { name: "figures.csv", input: text(csvText([Object.keys(figures[0]), ...rows]), "text/csv"), lastModified };
    yield { name: "figures.json", input: text(JSON.stringify(figures, null, 2), "application/json"), lastModified };
  }
  const name = fileNameOf(`${comparison.title} ${isBlind ? "blind " : ""}pack`, "zip");
  const blob = await zipped(name, entries(), { signal });
  return { pack: { name, blob }, key: blindNames && (await keyFile(comparison.title, blindNames)) };
}

/** What goes into a pack, passage by passage, under the names it goes by. */
async function piecesOf(
  { comparisonId, renderIds, kinds }: RenderPackOrder,
  blindNames: ReadonlyMap<string, string> | null,
): Promise<{ pieces: Piece[]; leftOut: string[] }> {
  const [passages, candidates, renders] = await Promise.all([
    database.passages.where({ comparisonId }).sortBy("position"),
    database.candidates.where({ comparisonId }).sortBy("position"),
    database.renders.where({ comparisonId }).toArray(),
  ]);
  const pieces: Piece[] = [];
  const leftOut: string[] = [];
  const nameOf = ({ candidateId }: Render) =>
    blindNames?.get(candidateId) ?? candidates.find((c) => c.id === candidateId)?.title ?? "render";
  for (const passage of passages) {
    const own = renders.filter((r) => r.passageId === passage.id);
    const dry = own.find((r) => r.id === passage.dryRenderId);
    const chosen = own.filter((r) => renderIds.includes(r.id));
    if (!dry || chosen.length === 0) continue;
    const match = await measuredMatch(passage, dry, own);
    // By name: the order of the grid would tell who is who.
    for (const render of chosen.toSorted((a, b) => nameOf(a).localeCompare(nameOf(b), undefined, { numeric: true }))) {
      const alignment = inForce(render, dry, await alignmentOf(render, dry));
      if (!alignment.found) leftOut.push(`${passage.title}, ${nameOf(render)}`);
      else pieces.push(...(await piecesOfRender(render, dry, passage, match, nameOf(render), kinds)));
    }
  }
  return { pieces, leftOut };
}

async function piecesOfRender(
  render: Render,
  dry: Render,
  { title: passage }: Passage,
  match: PassageMatch,
  candidate: string,
  kinds: RenderPackOrder["kinds"],
): Promise<Piece[]> {
  const gainOf = ({ id }: Render) => match.renders.get(id)?.gainDb ?? 0;
  const laid = await recipeNow(render, dry);
  const matched = withGain(laid, gainOf(render));
  const piece = (kind: PackKind, gainDb: number, sound: Recipe): Piece => ({
    render,
    dry,
    passage,
    candidate,
    kind,
    gainDb,
    sound,
  });
  return [
    piece("matched", gainOf(render), matched),
    ...(kinds.includes("delivered") ? [piece("delivered", 0, laid)] : []),
    ...(kinds.includes("residual") && render.id !== dry.id
      ? [
          piece("residual", gainOf(render), {
            of: "difference",
            here: withGain(await recipeNow(dry, dry), gainOf(dry)),
            yonder: matched,
          }),
        ]
      : []),
  ];
}

async function figuresOf(
  { render, dry, passage, candidate, kind, gainDb, sound }: Piece,
  file: string,
  signal?: AbortSignal,
): Promise<PackFigures> {
  const { integratedLufs, truePeakDbtp, rmsDbfs } = await resultOf(
    "levels",
    { sound },
    { title: `Measuring ${file}`, quiet: true, signal },
  );
  return {
    file,
    passage,
    candidate,
    kind,
    sampleRateHz: dry.sampleRateHz,
    channelCount: kind === "residual" ? Math.max(render.channelCount, dry.channelCount) : render.channelCount,
    frames: dry.frames,
    gainDb,
    integratedLufs,
    truePeakDbtp,
    rmsDbfs,
  };
}

/** What blind names stand for, as a file that is not in the pack. */
async function keyFile(title: string, names: ReadonlyMap<string, string>): Promise<ExportedFile> {
  const candidates = await database.candidates.bulkGet([...names.keys()]);
  const key = [...names.values()].map((name, i) => ({ name, candidate: candidates[i]?.title ?? "" }));
  const text = JSON.stringify(
    { schema: "yonder-pair/pack-key@1", title, key: key.toSorted((a, b) => a.name.localeCompare(b.name)) },
    null,
    2,
  );
  return { name: fileNameOf(`${title} pack key`, "json"), blob: new Blob([text], { type: "application/json" }) };
}
