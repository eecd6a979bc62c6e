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

type Material = {
  mixes: string[];
  songs: string[];
  layers: [string, string[]][];
  basses: string[][];
  kicks: string[][];
  hats: string[];
  percussion: [string, number][];
  instruments: [string, number][];
  voices: string;
  spoken: [string, string, string][];
};

/** What the alignment was built on, what then found four faults in it, and what it never met. */
const MATERIALS: Record<"first" | "second" | "third", Material> = {
  first: {
    mixes: ["Rock", "City", "pirate", "oriental", "EarthRise", "snow", "Freeway"],
    songs: ["forest/clavelian_march", "antarctic/salcon", "misc/credits", "castle/fortress"],
    layers: [
      ["amen, thick bass, fifths", ["loop_amen_full", "bass_thick_c", "guit_e_fifths"]],
      ["mika, choir, slide", ["loop_mika", "ambi_choir", "guit_e_slide"]],
      ["tabla, piano, drone", ["loop_tabla", "ambi_piano", "loop_drone_g_97"]],
    ],
    basses: [
      ["bass_dnb_f", "bass_drop_c", "bass_hard_c", "bass_woodsy_c"],
      ["bass_thick_c", "bass_trance_c", "bass_voxy_c"],
    ],
    kicks: [
      ["bd_boom", "bd_haus", "bd_tek", "bd_808"],
      ["drum_heavy_kick", "bd_zum", "bd_fat"],
    ],
    hats: ["drum_cymbal_closed", "drum_cymbal_pedal", "drum_cymbal_open"],
    percussion: [
      ["loop_tabla", 10],
      ["loop_amen_full", 7],
      ["loop_safari", 8],
    ],
    instruments: [
      ["guit_e_fifths", 6],
      ["guit_e_slide", 9],
      ["ambi_piano", 8],
      ["ambi_choir", 6],
    ],
    voices: "Classic",
    spoken: [
      [
        "announcement",
        "The ferry leaves from pier four in ten minutes. Please keep your ticket ready at the gate.",
        "en",
      ],
      ["call", "Mind the gap between the ship and the shore, and hold on to the rail.", "en-us"],
    ],
  },
  second: {
    mixes: ["Art", "Desert", "Jungle", "Halloween", "underwater", "hell", "Compost"],
    songs: ["forest/ghostforest", "antarctic/chipdisko", "misc/battle_theme", "castle/darkforestkeep"],
    layers: [
      ["breakbeat, trance bass, chords", ["loop_breakbeat", "bass_trance_c", "guit_em9"]],
      ["compus, glass, harmonics", ["loop_compus", "ambi_glass_rub", "guit_harmonics"]],
      ["perc, drone, bell", ["loop_perc1", "ambi_drone", "perc_bell"]],
    ],
    basses: [
      ["bass_hit_c", "glitch_bass_g", "bass_voxy_hit_c", "bass_hard_c"],
      ["bass_drop_c", "elec_fuzz_tom", "bass_woodsy_c"],
    ],
    kicks: [
      ["bd_ada", "bd_klub", "bd_zome", "bd_sone"],
      ["elec_soft_kick", "bd_mehackit", "bd_gas"],
    ],
    hats: ["drum_cymbal_soft", "elec_tick", "drum_splash_soft"],
    percussion: [
      ["loop_breakbeat", 2],
      ["loop_mehackit2", 3],
      ["loop_garzul", 8],
    ],
    instruments: [
      ["guit_em9", 9],
      ["guit_harmonics", 3],
      ["ambi_lunar_land", 8],
      ["ambi_haunted_hum", 9],
    ],
    voices: "Pirate",
    spoken: [
      [
        "fog",
        "There is fog on the river this morning. The seven o'clock boat will be about half an hour late.",
        "en-gb",
      ],
      ["count", "One, two, three, four; five, six, seven, eight; nine, ten, eleven, twelve.", "en-us"],
    ],
  },
  third: {
    mixes: ["Beach", "Brick", "Castle", "Fruit", "Golf", "Olympics", "main_theme"],
    songs: ["forest/bright_thunders", "antarctic/arctic_cave", "misc/halloween_1", "antarctic/airship_remix"],
    layers: [
      ["mehackit, dnb bass, slide", ["loop_mehackit1", "bass_dnb_f", "guit_e_slide"]],
      ["electric, sauna, fifths", ["loop_electric", "ambi_sauna", "guit_e_fifths"]],
      ["industrial, hum, piano", ["loop_industrial", "ambi_glass_hum", "ambi_piano"]],
    ],
    basses: [
      ["bass_voxy_c", "bass_hit_c", "bass_dnb_f", "elec_twang"],
      ["glitch_bass_g", "bass_trance_c", "drum_tom_lo_hard"],
    ],
    kicks: [
      ["bd_pure", "bd_haus", "drum_bass_hard", "bd_tek"],
      ["drum_bass_soft", "elec_hollow_kick", "bd_boom"],
    ],
    hats: ["elec_cymbal", "drum_cymbal_hard", "elec_hi_snare"],
    percussion: [
      ["loop_compus", 7],
      ["loop_perc2", 3],
      ["loop_weirdo", 6],
    ],
    instruments: [
      ["loop_drone_g_97", 9],
      ["ambi_dark_woosh", 5],
      ["guit_e_fifths", 5],
      ["ambi_soft_buzz", 3],
    ],
    voices: "Mobster",
    spoken: [
      ["bell", "When the bell rings twice, stand clear of the ramp and wait for the deck hand.", "en-gb"],
      ["tide", "High water at nine fifteen. Wind from the south west, force four, rising later.", "en"],
    ],
  },
};
export type MaterialName = keyof typeof MATERIALS;
export const isMaterial = (name: string): name is MaterialName => name in MATERIALS;

/** Recordings of every kind, 48 kHz, 2 to 16 s. */
export function sources(name: MaterialName): Source[] {
  const {
    mixes,
    songs: passages,
    layers,
    basses,
    kicks,
    hats,
    percussion,
    instruments,
    voices,
    spoken: said,
  } = MATERIALS[name];
  const short = (names: readonly string[]) => names.map((n) => n.replace(/^[a-z]+_/, "")).join(", ");
  const whole = (kind: Kind, [n, seconds]: [string, number]): Source => ({
    kind,
    name: short([n]),
    clip: source(sample(n), 0, seconds),
  });
  return [
    ...mixes.map((n): Source => ({ kind: "mix", name: n, clip: source(`${MIXES}/${n}.ogg`, 20, 14) })),
    ...passages.map((n): Source => ({ kind: "mix", name: n, clip: source(`${SONGS}/${n}.ogg`, 15, 14) })),
    ...layers.map(([n, parts]): Source => ({ kind: "clean mix", name: n, clip: layered(parts.map(sample), 14) })),
    ...basses.map(
      (n): Source => ({ kind: "bass", name: short(n), clip: row(n.map(sample), n.length > 3 ? 2.2 : 2.7, 2) }),
    ),
    ...kicks.map(
      (n): Source => ({
        kind: "kick",
        name: short(n),
        clip: n.length > 3 ? row(n.map(sample), 0.63, 5) : row(n.map(sample), 0.47, 7),
      }),
    ),
    { kind: "hi-hat", name: short(hats), clip: row(hats.map(sample), 0.41, 8) },
    ...percussion.map((one) => whole("percussion", one)),
    ...instruments.map((one) => whole("instrument", one)),
    {
      kind: "speech",
      name: "voices",
      clip: row(voice(voices, ["Amazing", "Boring", "Victory", "Brilliant", "Coward"]), 1.3, 1),
    },
    ...said.map(([n, text, tongue]): Source => ({ kind: "speech", name: n, clip: spoken(text, tongue) })),
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
