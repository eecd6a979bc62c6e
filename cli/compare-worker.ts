import { closeSync, openSync, writeSync } from "node:fs";
import { join } from "node:path";
import type { Sound } from "@/core/audio/sound";
import type { CompareReport } from "@/core/difference/compare";
import { compareSources } from "@/core/difference/compare-sources";
import type { MakeCopy } from "@/core/formats/pcm-copy";
import { encodedSamples } from "@/core/formats/pcm-write";
import { openWav } from "@/core/formats/wav-read";
import { wavHead, wavParts } from "@/core/formats/wav-write";
import type { Outcome } from "@/core/outcome";
import { fileSource } from "./files";

/** Uploaded files by the names they were sent with, and a folder for what is worked out of them, which whoever asks takes away. */
export type CompareWork = {
  folder: string;
  reference: { name: string; path: string };
  renders: { name: string; path: string }[];
};

function soundAt(path: string): Sound {
  const opened = openWav(fileSource(path), "A copy");
  if (!opened.ok) throw new Error(opened.reason);
  return opened.value.sound;
}

/** Compares uploaded files in a thread of the server's pool. Long sounds lie in files: memory does not grow with their length. */
export default async function compareUploads(work: CompareWork): Promise<Outcome<CompareReport>> {
  let copies = 0;
  const nextPath = () => join(work.folder, `copy-${copies++}.wav`);
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
  const sourceOf = ({ name, path }: { name: string; path: string }) => ({ file: name, source: fileSource(path) });
  return compareSources(sourceOf(work.reference), work.renders.map(sourceOf), { makeCopy, keep });
}
