import { FORCE_MATERIALS, stressTitle } from "@/core/bench/stress-test";
import { fileNameOf } from "@/core/findings/file-name";
import { DRY_TITLE } from "@/core/sorting/names";
import type { MadeRender } from "@/workers/made-render";
import { showPassage } from "./comparisons";
import { database } from "./database";
import { type Addition, addRenders, freeIn } from "./import-files";
import type { Candidate } from "./records";
import { workOut } from "./results";

type Material = { materialKeys: readonly string[]; driveDb: number; signal?: AbortSignal };

export type StressTestOrder = Material & {
  comparisonId: string;
  /** Only those that were made here can be run again. */
  candidates: readonly Candidate[];
};

const wav = (bytes: Blob, title: string) => new File([bytes], fileNameOf(title, "wav"), { type: "audio/wav" });

function additionOf(made: MadeRender, name: string, candidateTitle: string, dry: boolean): Addition {
  const { file, reading, signature, outline, levels } = made;
  return { file: wav(file, name), reading, signature, outline, levels, candidateTitle, dry };
}

/** What the untouched render of a comparison goes by, whatever it was called. */
async function dryTitleOf(comparisonId: string): Promise<string> {
  const [passage] = await database.passages.where({ comparisonId }).sortBy("position");
  const dry = passage && (await database.renders.get(passage.dryRenderId));
  return (dry && (await database.candidates.get(dry.candidateId))?.title) ?? DRY_TITLE;
}

/**
 * Sends material at absurd gain through candidates: a passage for each, with the driven material as its dry render. Nothing is added before all is
 * made. Gives the passages' titles.
 */
export async function runStressTest(order: StressTestOrder): Promise<string[]> {
  const { comparisonId, candidates, signal } = order;
  const dryTitle = await dryTitleOf(comparisonId);
  const made = await Promise.all(
    materialsOf(order).map(async (making) => {
      const { name, dry } = await making;
      const { hash } = dry.reading;
      const files = [{ hash, bytes: dry.file }];
      const wet = await Promise.all(
        candidates.flatMap(({ title: candidate, chain }) =>
          chain
            ? workOut(
                "process",
                { source: { of: "file", hash }, chain, keepLatency: false, key: null },
                { title: `${candidate}: ${name}`, signal, files },
              ).then((render) => additionOf(render, `${name} ${candidate}`, candidate, false))
            : [],
        ),
      );
      return { name, additions: [additionOf(dry, `${name} ${dryTitle}`, dryTitle, true), ...wet] };
    }),
  );
  const taken = new Set((await database.passages.where({ comparisonId }).toArray()).map((p) => p.title));
  const titles: string[] = [];
  for (const { name, additions } of made) {
    const title = freeIn(taken, name);
    taken.add(title);
    const passageId = await addRenders(comparisonId, { title }, additions);
    if (titles.length === 0) await showPassage(comparisonId, passageId);
    titles.push(title);
  }
  return titles;
}

/** The driven material as files, for what stands outside. */
export async function stressFiles(order: Material): Promise<File[]> {
  const made = await Promise.all(materialsOf(order));
  return made.map(({ name, dry }) => wav(dry.file, `${name} ${DRY_TITLE}`));
}

/** Each chosen material as it is made, with its name. */
const materialsOf = ({ materialKeys, driveDb, signal }: Material): Promise<{ name: string; dry: MadeRender }>[] =>
  FORCE_MATERIALS.filter(({ key }) => materialKeys.includes(key)).map(async ({ key, title }) => {
    const name = stressTitle(title, driveDb);
    const request = { materialKey: key, driveDb };
    return { name, dry: await workOut("forceMaterial", request, { title: `Making ${name}`, signal }) };
  });
