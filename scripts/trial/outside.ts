// Sound from outside the project for the trial, and processors that are not ours: ffmpeg and sox.
import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Clip } from "@/core/audio/clip";
import { readWav } from "@/core/formats/wav-read";
import { writeWav } from "@/core/formats/wav-write";

/** What is made once is kept here between runs. */
const KEPT = join(tmpdir(), "yonder-trial");
mkdirSync(KEPT, { recursive: true });

const SAMPLES = "/usr/share/sonic-pi/samples";
const MIXES = "/usr/share/games/hedgewars/Data/Music";
const SONGS = "/usr/share/games/supertux2/music";
const VOICES = "/usr/share/games/hedgewars/Data/Sounds/voices";

const textOf = (parts: readonly unknown[]): string => createHash("sha1").update(JSON.stringify(parts)).digest("hex");

function read(path: string): Clip {
  const decoded = readWav(readFileSync(path), path);
  if (!decoded.ok) throw new Error(`${decoded.reason} (${path})`);
  return decoded.value.clip;
}

const run = (command: string, args: readonly string[]) => execFileSync(command, args, { stdio: ["ignore", 2, 2] });

/** A made file by what made it. */
function made(key: readonly unknown[], make: (path: string) => void): Clip {
  const path = join(KEPT, `${textOf(key)}.wav`);
  if (!existsSync(path)) {
    // Made aside, so that a second trial running beside this one never reads half a file.
    const aside = join(KEPT, `${process.pid}-${textOf(key)}.wav`);
    make(aside);
    renameSync(aside, path);
  }
  return read(path);
}

const FLOAT = ["-c:a", "pcm_f32le", "-y", "-v", "error"];

/** Seconds of a file from a place on, as 32-bit float at a rate. */
export function source(path: string, startSeconds: number, seconds: number, rateHz = 48_000, channels = 2): Clip {
  return made(["source", path, startSeconds, seconds, rateHz, channels], (out) =>
    run("ffmpeg", [
      ...["-ss", `${startSeconds}`, "-t", `${seconds}`, "-i", path],
      ...["-ar", `${rateHz}`, "-ac", `${channels}`, ...FLOAT, out],
    ]),
  );
}

/** Short sounds one after the other, over and over, each time at other distances so that no two bars are alike. */
function row(paths: readonly string[], eachSeconds: number, times: number): Clip {
  return made(["row", paths, eachSeconds, times, 2], (out) => {
    const entries = Array.from({ length: times * paths.length }, (_, i) => ({
      path: paths[(i + Math.floor(i / paths.length)) % paths.length],
      seconds: (eachSeconds * (1 + 0.37 * ((i * 0.618) % 1))).toFixed(4),
    }));
    const padded = entries.map(
      ({ seconds }, i) =>
        `[${i}:a]aresample=48000,aformat=sample_fmts=flt:channel_layouts=stereo,apad=whole_dur=${seconds},atrim=0:${seconds}[p${i}]`,
    );
    const chain = `${padded.join(";")};${entries.map((_, i) => `[p${i}]`).join("")}concat=n=${entries.length}:v=0:a=1`;
    run("ffmpeg", [...entries.flatMap(({ path }) => ["-i", path]), "-filter_complex", chain, ...FLOAT, out]);
  });
}

/** Sounds laid over each other, each looped: a mix that was never coded with loss. */
function layered(paths: readonly string[], seconds: number): Clip {
  return made(["layered", paths, seconds], (out) => {
    const inputs = paths.flatMap((path) => ["-stream_loop", "-1", "-t", `${seconds}`, "-i", path]);
    run("ffmpeg", [
      ...inputs,
      "-filter_complex",
      `amix=inputs=${paths.length}:duration=first:normalize=0,volume=-9dB,aresample=48000`,
      ...["-t", `${seconds}`, "-ac", "2", ...FLOAT, out],
    ]);
  });
}

function spoken(text: string, voice: string): Clip {
  return made(["spoken", text, voice], (out) => {
    const raw = out.replace(/wav$/, "raw.wav");
    run("espeak-ng", ["-v", voice, "-w", raw, text]);
    run("ffmpeg", ["-i", raw, "-ar", "48000", "-ac", "1", ...FLOAT, out]);
  });
}

const sample = (name: string) => `${SAMPLES}/${name}.flac`;
const voice = (set: string, names: readonly string[]) => names.map((name) => `${VOICES}/${set}/${name}.ogg`);

export type Kind = "mix" | "clean mix" | "bass" | "kick" | "hi-hat" | "percussion" | "speech" | "instrument";
export type Source = { name: string; kind: Kind; clip: Clip };

/** Recordings of every kind, 48 kHz, 5 to 16 s. */
export function sources(): Source[] {
  const of = (kind: Kind, name: string, clip: Clip): Source => ({ kind, name, clip });
  const mixes = ["Rock", "City", "pirate", "oriental", "EarthRise", "snow", "Freeway"].map((name) =>
    of("mix", name, source(`${MIXES}/${name}.ogg`, 20, 14)),
  );
  const songs = ["forest/clavelian_march", "antarctic/salcon", "misc/credits", "castle/fortress"].map((name) =>
    of("mix", name, source(`${SONGS}/${name}.ogg`, 15, 14)),
  );
  return [
    ...mixes,
    ...songs,
    of(
      "clean mix",
      "amen, thick bass, fifths",
      layered([sample("loop_amen_full"), sample("bass_thick_c"), sample("guit_e_fifths")], 14),
    ),
    of(
      "clean mix",
      "mika, choir, slide",
      layered([sample("loop_mika"), sample("ambi_choir"), sample("guit_e_slide")], 14),
    ),
    of(
      "clean mix",
      "tabla, piano, drone",
      layered([sample("loop_tabla"), sample("ambi_piano"), sample("loop_drone_g_97")], 14),
    ),
    of(
      "bass",
      "dnb, drop, hard, woodsy",
      row(["bass_dnb_f", "bass_drop_c", "bass_hard_c", "bass_woodsy_c"].map(sample), 2.2, 2),
    ),
    of("bass", "thick, trance, voxy", row(["bass_thick_c", "bass_trance_c", "bass_voxy_c"].map(sample), 2.7, 2)),
    of("kick", "boom, haus, tek, 808", row(["bd_boom", "bd_haus", "bd_tek", "bd_808"].map(sample), 0.63, 5)),
    of("kick", "heavy, zum, fat", row(["drum_heavy_kick", "bd_zum", "bd_fat"].map(sample), 0.47, 7)),
    of(
      "hi-hat",
      "closed, pedal, open",
      row(["drum_cymbal_closed", "drum_cymbal_pedal", "drum_cymbal_open"].map(sample), 0.41, 8),
    ),
    of("percussion", "tabla", source(sample("loop_tabla"), 0, 10)),
    of("percussion", "amen", source(sample("loop_amen_full"), 0, 7)),
    of("percussion", "safari", source(sample("loop_safari"), 0, 8)),
    of("instrument", "fifths", source(sample("guit_e_fifths"), 0, 6)),
    of("instrument", "slide", source(sample("guit_e_slide"), 0, 9)),
    of("instrument", "piano", source(sample("ambi_piano"), 0, 8)),
    of("instrument", "choir", source(sample("ambi_choir"), 0, 6)),
    of("speech", "voices", row(voice("Classic", ["Amazing", "Boring", "Victory", "Brilliant", "Coward"]), 1.3, 1)),
    of(
      "speech",
      "announcement",
      spoken("The ferry leaves from pier four in ten minutes. Please keep your ticket ready at the gate.", "en"),
    ),
    of("speech", "call", spoken("Mind the gap between the ship and the shore, and hold on to the rail.", "en-us")),
  ];
}

/** ffmpeg's filters on a clip. */
export const ffmpeg = (clip: Clip, ...filters: string[]): Clip =>
  through(clip, ["ffmpeg", filters], (from, to) => run("ffmpeg", ["-i", from, "-af", filters.join(","), ...FLOAT, to]));

/** sox's effects on a clip. */
export const sox = (clip: Clip, ...effects: string[]): Clip =>
  through(clip, ["sox", effects], (from, to) =>
    run("sox", ["-V1", from, "-e", "floating-point", "-b", "32", to, ...effects]),
  );

/** Coded with loss and decoded again by ffmpeg, which takes the coder's delay out. */
export const coded = (clip: Clip, ending: string, ...options: string[]): Clip =>
  through(clip, ["coded", ending, options], (from, to) => {
    const middle = to.replace(/wav$/, ending);
    run("ffmpeg", ["-i", from, ...options, "-y", "-v", "error", middle]);
    run("ffmpeg", ["-i", middle, "-ar", `${clip.sampleRateHz}`, ...FLOAT, to]);
  });

function through(clip: Clip, key: readonly unknown[], make: (from: string, to: string) => void): Clip {
  const bytes = writeWav(clip, "32-bit float");
  const hash = createHash("sha1").update(bytes).digest("hex");
  return made([hash, ...key], (out) => {
    const from = join(KEPT, `in-${process.pid}.wav`);
    writeFileSync(from, bytes);
    make(from, out);
  });
}
