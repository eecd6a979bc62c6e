// Writes a folder of renders of the demo's passages, for the screenshot of sorting:  tsx scripts/demo-folder.ts <folder>
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Clip } from "@/core/audio/clip";
import { type Sound, soundOf } from "@/core/audio/sound";
import { synthesiseFerry } from "@/core/demo/ferry";
import { handDrum, newStage } from "@/core/demo/voices";
import { writeWav } from "@/core/formats/wav-write";
import { type Chain, runChain } from "@/core/processors/chain";

const folder = process.argv[2];
const CHAINS: Record<string, Chain> = {
  "tape 15 ips": [{ processorKey: "tape-stage", settings: { driveDb: 9 } }],
  "multiband v2": [{ processorKey: "multiband-compressor", settings: {} }],
};
const write = (name: string, clip: Sound | Clip) => writeFileSync(join(folder, name), writeWav(clip, "24-bit"));

for (const key of ["crossing-theme", "boarding-chime"]) {
  for (const [name, chain] of Object.entries(CHAINS))
    write(`ferry_${key}_${name}.wav`, runChain(soundOf(synthesiseFerry(key)), chain));
}
const stage = newStage(6);
for (let i = 0; i < 8; i++) handDrum(stage, 0.2 + i * 0.7 + (i % 3) * 0.07, 110 + 30 * (i % 2), 0.5, 0, 0.4);
write("ferry_deck drum idea.wav", { sampleRateHz: 48_000, channels: [stage.left, stage.right] });
