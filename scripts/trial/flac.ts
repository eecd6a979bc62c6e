// FLAC files of three encoders on random sound, read in random pieces, whole and with a inverted bit: bit for bit, or named as damaged.
import { execFileSync } from "node:child_process";
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Clip } from "@/core/audio/clip";
import { seededRandom } from "@/core/audio/random";
import { clipOf } from "@/core/audio/sound";
import { bytesInMemory } from "@/core/formats/byte-source";
import { MOST_SAMPLES } from "@/core/formats/decoded-audio";
import { openFlac } from "@/core/formats/flac-read";
import { copyInMemory } from "@/core/formats/pcm-copy";
import { writeWav } from "@/core/formats/wav-write";
import { source } from "./outside";

const MIX = "/usr/share/games/hedgewars/Data/Music";
const RATES_HZ = [8000, 22_050, 44_100, 48_000, 88_200, 96_000, 192_000, 37_123];

/** One inverted bit spoils one frame, or the header that ends another. */
const MOST_LOST = 2 * 8192;

type Random = () => number;
const pick = <T>(random: Random, list: readonly T[]): T => list[Math.floor(random() * list.length)];
const whole = (random: Random, low: number, high: number): number => Math.floor(low + random() * (high - low + 1));

/** A few thousandths of a second to some seconds of music, noise, silence, full scale, or all of them in a row, on the steps of its word length. */
function randomClip(random: Random, music: Clip, bits: 16 | 24): Clip {
  const frames = random() < 0.3 ? whole(random, 1, 5000) : whole(random, 5000, 200_000);
  const channelCount = pick(random, [1, 2]);
  const full = 2 ** (bits - 1);
  const kind = pick(random, ["music", "music", "music", "noise", "silence", "square", "row", "shifted"]);
  const from = whole(random, 0, music.channels[0].length - frames - 1);
  const level = 10 ** (-3 * random());
  const channels = Array.from({ length: channelCount }, (_, c) => {
    const own = music.channels[c % music.channels.length];
    return Float32Array.from({ length: frames }, (_, i) => {
      const now = kind === "row" ? ["music", "noise", "silence", "square"][Math.floor((4 * i) / frames)] : kind;
      const v =
        now === "noise"
          ? 2 * random() - 1
          : now === "silence"
            ? 0
            : now === "square"
              ? i % 200 < 100
                ? 1
                : -1
              : own[from + i] * level;
      // Wasted bits: the lowest are zero.
      const step = now === "shifted" ? 32 : 1;
      return Math.max(-full, Math.min(full - 1, step * Math.round((v * full) / step))) / full;
    });
  });
  return { channels, sampleRateHz: pick(random, RATES_HZ) };
}

function encode(random: Random, folder: string, clip: Clip, bits: 16 | 24): { bytes: Uint8Array; how: string } {
  const wav = join(folder, "in.wav");
  const flac = join(folder, "out.flac");
  writeFileSync(wav, writeWav(clip, bits === 16 ? "16-bit" : "24-bit"));
  const size = pick(random, [null, 256, 1152, 4096, 4608, whole(random, 32, 8000)]);
  const level = whole(random, 0, 8);
  const encoder = pick(random, existsSync("/usr/bin/flac") ? ["ffmpeg", "sox", "flac"] : ["ffmpeg", "sox"]);
  const args =
    encoder === "ffmpeg"
      ? [
          "-y",
          "-v",
          "error",
          "-i",
          wav,
          "-compression_level",
          `${level}`,
          ...(size ? ["-frame_size", `${size}`] : []),
          flac,
        ]
      : encoder === "sox"
        ? [wav, "-C", `${level}`, flac]
        : ["-s", "-f", "--lax", `-${level}`, ...(size ? ["-b", `${Math.max(16, size)}`] : []), "-o", flac, wav];
  execFileSync(encoder, args, { stdio: ["ignore", "ignore", "pipe"] });
  return { bytes: new Uint8Array(readFileSync(flac)), how: `${encoder} ${args.join(" ")}` };
}

/** Frames that differ, and those among them that are not silent. */
function differing(truth: Clip, read: Clip): { frames: number; sounding: number } {
  let frames = 0;
  let sounding = 0;
  for (let i = 0; i < truth.channels[0].length; i++) {
    const differs = truth.channels.some((channel, c) => channel[i] !== read.channels[c]?.[i]);
    if (!differs) continue;
    frames++;
    if (read.channels.some((channel) => channel[i] !== 0 && channel[i] !== undefined)) sounding++;
  }
  return { frames, sounding };
}

/** Prints what went wrong and counts; true when nothing did. */
export async function flacTrial(count: number, seed: number): Promise<boolean> {
  const folder = mkdtempSync(join(tmpdir(), "yonder-flac-"));
  const random = seededRandom(seed);
  const music = source(join(MIX, "Art.ogg"), 0, 60, 48_000);
  const counts = {
    "bit for bit": 0,
    wrong: 0,
    "flipped, named": 0,
    "flipped, not in the sound": 0,
    "flipped, refused": 0,
    "flipped, wrong": 0,
  };
  for (let n = 0; n < count; n++) {
    const bits = pick(random, [16, 24] as const);
    const clip = randomClip(random, music, bits);
    const { bytes, how } = encode(random, folder, clip, bits);
    const small = bytes.length < 60_000 && random() < 0.3;
    const pieceBytes = small
      ? whole(random, 1, 40)
      : pick(random, [undefined, 4096, 32_768, whole(random, 100, 50_000)]);
    const read = await openFlac(bytesInMemory(bytes), "file", copyInMemory, MOST_SAMPLES, pieceBytes);
    const frames = clip.channels[0].length;
    const isExact =
      read.ok &&
      read.value.remarks.length === 0 &&
      read.value.encoding.endsWith("checksum fits") &&
      read.value.sound.frames === frames &&
      differing(clip, clipOf(read.value.sound)).frames === 0;
    counts[isExact ? "bit for bit" : "wrong"]++;
    if (!isExact)
      console.log(
        `wrong: ${how}: ${frames} frames: ${read.ok ? `${read.value.sound.frames} ${read.value.encoding} ${read.value.remarks}` : read.reason}`,
      );

    const at = whole(random, random() < 0.2 ? 0 : 42, bytes.length - 1);
    const flipped = bytes.slice();
    flipped[at] ^= 1 << whole(random, 0, 7);
    const damaged = await openFlac(bytesInMemory(flipped), "file", copyInMemory, MOST_SAMPLES, pieceBytes);
    if (!damaged.ok) {
      counts["flipped, refused"]++;
      continue;
    }
    const { sound, remarks } = damaged.value;
    const { frames: off, sounding } = differing(clip, clipOf(sound));
    const isNamed = remarks.length > 0;
    const isRight =
      sounding === 0 &&
      off <= MOST_LOST &&
      (isNamed || (off === 0 && sound.frames === frames && sound.sampleRateHz === clip.sampleRateHz));
    counts[!isRight ? "flipped, wrong" : isNamed ? "flipped, named" : "flipped, not in the sound"]++;
    if (!isRight)
      console.log(
        `flipped at ${at} of ${bytes.length}: ${how}: ${off} of ${frames} frames differ, ${sounding} of them sounding, ${sound.frames} read, ${damaged.value.encoding}: ${remarks}`,
      );
  }
  rmSync(folder, { recursive: true });
  console.log(counts);
  return counts.wrong === 0 && counts["flipped, wrong"] === 0;
}
