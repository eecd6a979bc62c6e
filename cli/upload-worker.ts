import "./ffmpeg";
import { closeSync, openSync, writeSync } from "node:fs";
import { join } from "node:path";
import type { Sound } from "@/core/audio/sound";
import type { CompareReport } from "@/core/difference/compare";
import { compareSources } from "@/core/difference/compare-sources";
import type { ExplainReport } from "@/core/explain/explain";
import { explainSources } from "@/core/explain/explain-sources";
import type { MakeCopy } from "@/core/formats/pcm-copy";
import { encodedSamples } from "@/core/formats/pcm-write";
import { openWav } from "@/core/formats/wav-read";
import { wavHead, wavParts } from "@/core/formats/wav-write";
import type { Outcome } from "@/core/outcome";
import { fileSource } from "./files";

type Uploaded = { name: string; path: string };
/** Uploaded files by the names they were sent with, and a folder for what is worked out of them, which whoever asks takes away. */
type CompareWork = { folder: string; reference: Uploaded; renders: Uploaded[] };
type ExplainWork = {
  folder: string;
  here: Uploaded;
  yonder: Uploaded;
  dry: Uploaded | null;
  from?: number;
  to?: number;
};

function soundAt(path: string): Sound {
  const opened = openWav(fileSource(path), "A copy");
  if (!opened.ok) throw new Error(opened.reason);
  return opened.value.sound;
}

/** Where long sounds lie: in files of a folder, so that memory does not grow with their length. */
function copiesIn(folder: string): { keep: (sound: Sound) => Sound; makeCopy: MakeCopy } {
  let copies = 0;
  const nextPath = () => join(folder, `copy-${copies++}.wav`);
  const keep = (sound: Sound): Sound => {
    const path = nextPath();
    const file = openSync(path, "w");
    for (const part of wavParts(sound, "32-bit float")) writeSync(file, part);
    closeSync(file);
    return soundAt(path);
  };
  const makeCopy: MakeCopy = (form) => {
    const path = nextPath();
    const file = openSync(path, "w");
    let frames = 0;
    writeSync(file, wavHead({ ...form, frames }, form.encoding));
    return {
      add: (channels) => {
        frames += channels[0].length;
        writeSync(file, encodedSamples(channels, form.encoding, true, null));
      },
      finish: () => {
        writeSync(file, wavHead({ ...form, frames }, form.encoding), 0, undefined, 0);
        closeSync(file);
        return soundAt(path);
      },
    };
  };
  return { keep, makeCopy };
}

const sourceOf = ({ name, path }: Uploaded) => ({ file: name, source: fileSource(path) });

/** Compares uploaded files in a thread of the server's pool. */
export const compare = ({ folder, reference, renders }: CompareWork): Promise<Outcome<CompareReport>> =>
  compareSources(sourceOf(reference), renders.map(sourceOf), copiesIn(folder));

/** Takes an uploaded pair apart in a thread of the pool. */
export const explain = ({ folder, here, yonder, dry, from, to }: ExplainWork): Promise<Outcome<ExplainReport>> =>
  explainSources(
    { here: sourceOf(here), yonder: sourceOf(yonder), dry: dry && sourceOf(dry), from, to },
    copiesIn(folder),
  );

export type UploadTasks = { compare: typeof compare; explain: typeof explain };
