import { spawnSync } from "node:child_process";
import { closeSync, mkdtempSync, openSync, rmSync, writeSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { piecesOf } from "@/core/audio/sound";
import { type ByteSource, piecesOfBytes } from "@/core/formats/byte-source";
import { type HostDecoder, setHostDecoder } from "@/core/formats/host-decoder";
import { openPlain } from "@/core/formats/read-audio";
import { fail, succeed } from "@/core/outcome";
import { fileSource } from "./files";

const INSTALL = "Install ffmpeg, or convert it to WAV or FLAC.";

function written(source: ByteSource, path: string): void {
  const file = openSync(path, "w");
  try {
    for (const bytes of piecesOfBytes(source)) writeSync(file, bytes);
  } finally {
    closeSync(file);
  }
}

/** Decodes by ffmpeg, where it is on the machine. */
const decodeByFfmpeg: HostDecoder = async ({ codec, source, packets }, take) => {
  const folder = mkdtempSync(join(tmpdir(), "yonder-decode-"));
  try {
    const [given, made] = [join(folder, "in"), join(folder, "out.wav")];
    written(source, given);
    // With packets all of them count, from the first: what is before the sound is cut by whoever asked.
    const whole = packets ? ["-flags2", "+skip_manual", "-ignore_editlist", "1"] : [];
    const isAdts = packets !== null && source.read(0, 1)[0] === 0xff;
    const args = ["-v", "error", "-nostdin", ...(isAdts ? ["-flags2", "+skip_manual"] : whole), "-i", given];
    const run = spawnSync("ffmpeg", [
      ...args,
      "-map",
      "0:a:0",
      "-c:a",
      codec === "ALAC" ? "pcm_s32le" : "pcm_f32le",
      made,
    ]);
    if (run.error) return fail(`is ${codec}, which needs ffmpeg, and ffmpeg is not installed.`, INSTALL);
    if (run.status !== 0) return fail(`is ${codec} that ffmpeg cannot decode.`, INSTALL);
    const decoded = fileSource(made);
    try {
      const opened = openPlain(decoded, "what ffmpeg decoded");
      if (!opened.ok) return fail(`is ${codec} without sound.`, INSTALL);
      const { sound } = opened.value;
      for (const { channels } of piecesOf(sound)) take({ channelData: channels, sampleRate: sound.sampleRateHz });
    } finally {
      decoded.close();
    }
    return succeed(null);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
};

setHostDecoder(decodeByFfmpeg);
