// The cases of the trial: material of every kind, every kind of processor and of misplacement, with what is true of each.
import { type Clip, frameCount } from "@/core/audio/clip";
import { seededRandom } from "@/core/audio/random";
import * as m from "./misplaced";
import { ffmpeg, type Kind, type MaterialName, source, sources, sox } from "./outside";
import { type Case, placed, type Truth } from "./placement-truth";
import { AMPLIFIERS, CODERS, FILTERS, LEVELS, SATURATORS } from "./processed";

const WORDS = [16, 24, "float"] as const;

/** Turns the list by a stride, so that each source meets other processors. */
const some = <T>(items: readonly T[], first: number, count: number): T[] =>
  Array.from({ length: Math.min(count, items.length) }, (_, i) => items[(first + i * 3) % items.length]);

export function cases(material: MaterialName): Case[] {
  const all = sources(material);
  const of = (...kinds: Kind[]) => all.filter((s) => kinds.includes(s.kind));
  const list: Case[] = [];
  const add = (group: string, name: string, make: Case["make"], truth: Truth) =>
    list.push({ group, name, make, truth });
  const delays = [333, -257, 7, 4801, 1, -1200, 64, 19];
  const fractions = [7.37, -12.5, 333.25, 0.5, 1000.01];

  for (const [i, { name, clip }] of all.entries()) {
    const delay = delays[i % delays.length];
    for (const [w, bits] of WORDS.entries()) {
      add(
        "copies, whole samples",
        `${name}, ${bits}`,
        () => ({
          reference: m.worded(clip, bits, 10 + i),
          render: m.worded(m.scaled(m.late(clip, delay), 0.7), bits, 90 + i),
        }),
        placed(delay),
      );
      if ((i + w) % 2) continue;
      const fraction = fractions[(i + w) % fractions.length];
      add(
        "copies, fractions",
        `${name}, ${bits}, ${fraction}`,
        () => ({
          reference: m.worded(clip, bits, 11 + i),
          render: m.worded(m.lateBy(clip, fraction), bits, 91 + i),
        }),
        placed(fraction),
      );
    }
  }

  const bands: [string, Kind[], string[]][] = [
    ["under 150 Hz", ["bass", "kick", "mix", "clean mix"], Array.from({ length: 4 }, () => "lowpass=f=150:p=2")],
    [
      "telephone",
      ["speech", "mix"],
      ["highpass=f=300:p=2", "highpass=f=300:p=2", "lowpass=f=3400:p=2", "lowpass=f=3400:p=2", "lowpass=f=3400:p=2"],
    ],
    ["over 6 kHz", ["hi-hat", "percussion"], ["highpass=f=6000:p=2", "highpass=f=6000:p=2", "highpass=f=6000:p=2"]],
  ];
  for (const [band, kinds, filters] of bands) {
    for (const [i, { name, clip }] of of(...kinds).entries()) {
      for (const bits of WORDS) {
        const delay = delays[(i + 2) % delays.length];
        add(
          "little bandwidth",
          `${band}, ${name}, ${bits}`,
          () => {
            const narrow = ffmpeg(clip, ...filters);
            return { reference: m.worded(narrow, bits, 20 + i), render: m.worded(m.late(narrow, delay), bits, 30 + i) };
          },
          placed(delay),
        );
      }
    }
  }

  for (const [i, { name, clip, kind }] of all.entries()) {
    const delay = delays[(i + 3) % delays.length];
    const bits = WORDS[i % 3];
    const treat = (group: string, treatments: [string, (c: Clip) => Clip][], count: number) => {
      for (const [what, work] of some(treatments, i, count)) {
        // A low-pass above all that a sound holds delays all of it, and nothing tells that from a delay.
        const unseen = what === "low-pass 12 dB/oct at 8 kHz" && name === "piano" ? { withinSamples: 1.4 } : {};
        add(
          group,
          `${what}, ${name}, ${bits}`,
          () => ({
            reference: m.worded(clip, bits, 40 + i),
            render: m.worded(m.late(work(clip), delay), bits, 50 + i),
          }),
          placed(delay, unseen),
        );
      }
    };
    treat("filters", FILTERS, kind === "mix" ? 5 : 4);
    treat("levels", LEVELS, 2);
    treat("saturation", SATURATORS, 3);
    treat("amplifier", AMPLIFIERS, i % 2);
    treat("coders", CODERS, 2);
  }
  for (const [i, { name, clip }] of of("mix").entries()) {
    // The file was coded with loss before: nothing stands above its band but what rounding left.
    add(
      "coders",
      `from a lossy file, moved by 7.37, ${name}`,
      () => ({ reference: clip, render: m.lateBy(clip, 7.37) }),
      placed(7.37),
    );
    add(
      "coders",
      `coded again, moved by −3.5, ${name}`,
      () => ({
        reference: clip,
        render: m.lateBy(CODERS[i % 4][1](clip), -3.5),
      }),
      placed(-3.5),
    );
  }

  for (const [i, { name, clip }] of of("mix", "clean mix", "instrument", "percussion").entries()) {
    const [left, right] = m.asStereo(clip).channels;
    const minus = (channel: Float32Array) => channel.map((v) => -v);
    const delay = delays[i % delays.length];
    const mono = left;
    const panned = (c: Clip) =>
      m.sides(
        c,
        mono.map((v) => 0.9 * v),
        mono.map((v) => 0.35 * v),
      );
    const nearly = m.sides(
      clip,
      mono.map((v, k) => v + 0.02 * (left[k] - right[k])),
      mono.map((v, k) => v - 0.02 * (left[k] - right[k])),
    );
    const stereo = m.asStereo(clip);
    const isStereo = left.some((v, k) => Math.abs(v - right[k]) > 1e-3);
    const put = (what: string, reference: Clip, render: Clip, truth: Truth) =>
      add(
        "channels",
        `${what}, ${name}`,
        () => ({
          reference: m.worded(reference, 24, 60 + i),
          render: m.worded(m.late(render, delay), 24, 70 + i),
        }),
        truth,
      );
    if (i % 2) {
      const p = panned(clip);
      put(
        "panned, right flipped",
        p,
        m.sides(clip, p.channels[0], minus(p.channels[1])),
        placed(delay, { polarity: [1, -1] }),
      );
    } else {
      const p = panned(clip);
      put(
        "panned, left flipped",
        p,
        m.sides(clip, minus(p.channels[0]), p.channels[1]),
        placed(delay, { polarity: [-1, 1] }),
      );
    }
    put(
      "dual mono, right flipped",
      m.sides(clip, mono, mono),
      m.sides(clip, mono, minus(mono)),
      placed(delay, { polarity: [1, -1] }),
    );
    if (isStereo) {
      put(
        "nearly mono, swapped",
        nearly,
        m.sides(clip, nearly.channels[1], nearly.channels[0]),
        placed(delay, { swapped: true }),
      );
      put(
        "right flipped at 0.9",
        stereo,
        m.sides(
          clip,
          left,
          right.map((v) => -0.9 * v),
        ),
        placed(delay, { polarity: [1, -1] }),
      );
      put(
        "swapped, left flipped, equalized",
        stereo,
        FILTERS[1][1](m.sides(clip, right, minus(left))),
        placed(delay, { polarity: [-1, 1], swapped: true }),
      );
    }
    const by = 7 + ((i * 17) % 54);
    put(
      `right late by ${by}`,
      stereo,
      m.sides(clip, left, m.late({ ...clip, channels: [right] }, by).channels[0].slice(0, right.length)),
      {
        answer: "told",
        words: /right channel is .* later|left channel is .* earlier/,
      },
    );
    add(
      "channels",
      `mono against stereo, ${name}`,
      () => ({ reference: stereo, render: m.late(m.asMono(clip), delay) }),
      placed(delay),
    );
  }

  const dc = (c: Clip, by: number) => ({ ...c, channels: c.channels.map((ch) => ch.map((v) => v + by)) });
  for (const [i, { name, clip }] of all.entries()) {
    const delay = delays[(i + 5) % delays.length];
    const soft = m.scaled(clip, 0.5);
    add(
      "DC",
      `0.1 in the render, ${name}`,
      () => ({ reference: m.worded(soft, 24, 5), render: m.worded(dc(m.late(soft, delay), 0.1), 24, 6) }),
      placed(delay),
    );
    add(
      "DC",
      `0.1 in both, ${name}`,
      () => ({ reference: m.worded(dc(soft, 0.1), 24, 5), render: m.worded(dc(m.late(soft, delay), 0.1), 24, 6) }),
      placed(delay),
    );
  }
  for (const [i, { name, clip, kind }] of all.entries()) {
    if (clip.channels.length < 2 || !["mix", "clean mix", "instrument", "percussion"].includes(kind)) continue;
    const [left, right] = clip.channels;
    if (!left.some((v, k) => Math.abs(v - right[k]) > 1e-3)) continue;
    const delay = delays[(i + 1) % delays.length];
    const onLeft = (work: (c: Clip) => Clip) => m.sides(clip, work({ ...clip, channels: [left] }).channels[0], right);
    const one = (what: string, render: () => Clip, truth = placed(delay)) =>
      add(
        "one side",
        `${what}, ${name}`,
        () => ({ reference: m.worded(clip, 24, 7), render: m.worded(m.late(render(), delay), 24, 8) }),
        truth,
      );
    one("left equalized", () =>
      onLeft((c) => ffmpeg(c, "equalizer=f=300:t=q:w=0.7:g=12", "equalizer=f=4000:t=q:w=0.7:g=-12")),
    );
    one("left low-passed", () => onLeft((c) => ffmpeg(c, "lowpass=f=800:p=2")));
    one("left flipped", () => onLeft((c) => m.scaled(c, -1)), placed(delay, { polarity: [-1, 1] }));
    one("right silent", () => m.sides(clip, left, new Float32Array(left.length)));
    one("left silent", () => m.sides(clip, new Float32Array(left.length), right));
    one("reverb", () => sox(clip, "gain", "-6", "reverb", "50", "50", "60"));
    one("compressed 8:1", () => LEVELS[0][1](clip));
    for (const by of [7, 60, 500])
      one(
        `right late by ${by}, upright`,
        () => m.sides(clip, left, m.late({ ...clip, channels: [right] }, by).channels[0].slice(0, right.length)),
        placed(delay, { orDoubt: "channel delay" }),
      );
  }
  for (const [a, b] of [
    ["drum_heavy_kick", "drum_bass_hard"],
    ["drum_snare_hard", "drum_snare_soft"],
    ["drum_tom_hi_hard", "drum_tom_hi_soft"],
    ["drum_tom_mid_hard", "drum_tom_mid_soft"],
    ["drum_tom_lo_hard", "drum_tom_lo_soft"],
    ["tabla_tas1", "tabla_tas2"],
    ["tabla_ghe1", "tabla_ghe2"],
  ]) {
    const hit = (name: string) => source(`/usr/share/sonic-pi/samples/${name}.flac`, 0, 4);
    add("another take", `${a}, ${b}`, () => ({ reference: hit(a), render: hit(b) }), { answer: "strangers" });
  }
  for (const [i, { name, clip }] of all.entries()) {
    const rate = clip.sampleRateHz;
    const short = m.part(clip, 2 * rate, 3 * rate);
    add(
      "one second",
      `equalized and in noise, ${name}`,
      () => {
        const random = seededRandom(9);
        const y = ffmpeg(m.late(short, 20 + i), "equalizer=f=700:t=q:w=0.8:g=6");
        return {
          reference: short,
          render: { ...y, channels: y.channels.map((ch) => ch.map((v) => v + 0.003 * (random() - random()))) },
        };
      },
      placed(20 + i),
    );
  }

  const bars = (path: string, bar: number) => {
    const loop = source(path, 0, bar * 4);
    return { loop, barFrames: Math.round(bar * loop.sampleRateHz) };
  };
  for (const [path, bar, other] of [
    ["/usr/share/sonic-pi/samples/loop_amen.flac", 1.753, "/usr/share/sonic-pi/samples/ambi_choir.flac"],
    ["/usr/share/sonic-pi/samples/loop_tabla.flac", 2.6, "/usr/share/sonic-pi/samples/guit_e_slide.flac"],
    ["/usr/share/sonic-pi/samples/loop_breakbeat.flac", 1.9, "/usr/share/sonic-pi/samples/ambi_piano.flac"],
    ["/usr/share/sonic-pi/samples/loop_industrial.flac", 0.88, "/usr/share/sonic-pi/samples/guit_em9.flac"],
  ] as const) {
    const name = path.split("loop_")[1].replace(".flac", "");
    const one = () =>
      m.part(bars(path, bar).loop, 0, Math.min(bars(path, bar).barFrames, frameCount(bars(path, bar).loop)));
    add(
      "repeats",
      `a loop of six bars, one bar on, ${name}`,
      () => {
        const six = m.after(one(), one(), one(), one(), one(), one());
        return { reference: six, render: m.part(six, frameCount(one()), frameCount(six)) };
      },
      { answer: "told", words: /fits|repeat/ },
    );
    add(
      "repeats",
      `a loop of six bars, one bar on, dithered, ${name}`,
      () => {
        const six = m.after(one(), one(), one(), one(), one(), one());
        return {
          reference: m.worded(six, 16, 3),
          render: m.worded(FILTERS[1][1](m.part(six, frameCount(one()), frameCount(six))), 16, 4),
        };
      },
      { answer: "told", words: /fits|repeat/ },
    );
    const over = (base: Clip, path2: string, gain: number): Clip => {
      const top = source(path2, 0, 12);
      const frames = frameCount(top);
      return {
        ...base,
        channels: base.channels.map((ch, c) => ch.map((v, i) => v + gain * (top.channels[c][i % frames] ?? 0))),
      };
    };
    add(
      "repeats",
      `verse against chorus of the same drums, ${name}`,
      () => {
        const drums = m.scaled(m.after(one(), one(), one(), one()), 0.25);
        return { reference: over(drums, other, 1), render: over(drums, MIX_OVER, 1) };
      },
      { answer: "told", words: /./ },
    );
  }

  for (const [i, { name, clip }] of of("mix", "clean mix", "percussion").entries()) {
    const frames = frameCount(clip);
    const half = Math.round(frames * 0.5);
    if (i % 2 === 0) {
      for (const ppm of [20, -50]) {
        // sox reads at another speed: a render of a clock that is fast holds more samples.
        add(
          "clock and speed",
          `${ppm} ppm, ${name}`,
          () => ({ reference: clip, render: sox(clip, "speed", `${(1 / (1 + ppm * 1e-6)).toFixed(9)}`) }),
          placed(0, { ppm }),
        );
      }
      for (const percent of [0.1, 0.5]) {
        add(
          "clock and speed",
          `${percent} % faster, ${name}`,
          () => ({ reference: clip, render: sox(clip, "speed", `${1 + percent / 100}`) }),
          placed(0, { ppm: (1 / (1 + percent / 100) - 1) * 1e6, orDoubt: "other speed" }),
        );
      }
    } else {
      add(
        "clock and speed",
        `tempo 0.5 % faster, ${name}`,
        () => ({ reference: clip, render: sox(clip, "tempo", "-m", "1.005") }),
        { answer: "told", words: /./ },
      );
      add(
        "clock and speed",
        `tempo 3 % slower, ${name}`,
        () => ({ reference: clip, render: ffmpeg(clip, "atempo=0.97") }),
        { answer: "told", words: /./ },
      );
    }
    add(
      "jumps",
      `3 lost half way, ${name}`,
      () => ({ reference: clip, render: m.after(m.part(clip, 0, half), m.part(clip, half + 3, frames)) }),
      { answer: "told", words: /missing|jump|earlier/ },
    );
    add(
      "jumps",
      `441 lost at a third, ${name}`,
      () => ({
        reference: clip,
        render: m.after(m.part(clip, 0, Math.round(frames / 3)), m.part(clip, Math.round(frames / 3) + 441, frames)),
      }),
      { answer: "told", words: /missing|jump|earlier/ },
    );
    add(
      "jumps",
      `512 played twice at two thirds, ${name}`,
      () => {
        const at = Math.round((2 * frames) / 3);
        return { reference: clip, render: m.after(m.part(clip, 0, at), m.part(clip, at - 512, frames)) };
      },
      { answer: "told", words: /too many|twice|jump|later/ },
    );
    const stranger = all[(all.findIndex((s) => s.clip === clip) + 5) % 11].clip;
    add(
      "lacking and more",
      `last fifth missing, ${name}`,
      () => ({ reference: clip, render: m.part(LEVELS[i % 3][1](clip), 0, Math.round(0.8 * frames)) }),
      placed(0),
    );
    add(
      "lacking and more",
      `first fifth missing, ${name}`,
      () => ({ reference: clip, render: m.part(clip, 9600, frames) }),
      placed(-9600),
    );
    add(
      "lacking and more",
      `another song before, ${name}`,
      () => ({ reference: clip, render: m.after(m.part(stranger, 0, 144_000), clip) }),
      placed(144_000),
    );
    add(
      "lacking and more",
      `clicks before, silence behind, ${name}`,
      () => ({ reference: clip, render: m.after(m.clicks(clip, 2), clip, m.quiet(clip, 3)) }),
      placed(96_000),
    );
  }

  for (const [i, { name, clip }] of all.entries()) {
    for (const step of [1, 4, 9]) {
      const other = all[(i + step) % all.length];
      // Some of the sources are made of the same samples.
      if (name.split(", ").some((word) => other.name.includes(word))) continue;
      add("strangers", `${name} against ${other.name}`, () => ({ reference: clip, render: m.asStereo(other.clip) }), {
        answer: "strangers",
      });
    }
  }
  for (const [i, name] of ["Rock", "City", "pirate", "oriental", "EarthRise", "snow", "Freeway"].entries()) {
    const path = `/usr/share/games/hedgewars/Data/Music/${name}.ogg`;
    add(
      "strangers",
      `${name}, another stretch of the song`,
      () => ({ reference: source(path, 20, 14), render: source(path, 41.3 + i, 14) }),
      { answer: "told", words: /./ },
    );
  }

  for (const rate of [8000, 11_025, 22_050, 44_100, 96_000, 192_000, 384_000]) {
    for (const { name, clip } of [
      ...of("percussion").slice(0, 2),
      ...of("speech").slice(1, 2),
      ...of("mix").slice(0, 1),
    ]) {
      const delay = Math.round(rate * 0.0123);
      add(
        "rates",
        `${rate} Hz, ${name}`,
        () => {
          const at = sox(m.part(clip, 0, 5 * 48_000), "rate", "-v", `${rate}`);
          return { reference: m.worded(at, 24, 5), render: m.worded(m.late(FILTERS[0][1](at), delay), 24, 6) };
        },
        placed(delay),
      );
    }
  }
  for (const { name, clip } of of("percussion", "speech", "kick")) {
    const loudest = (() => {
      const [ch] = clip.channels;
      let best = 0;
      for (let i = 0; i < ch.length; i++) if (Math.abs(ch[i]) > Math.abs(ch[best])) best = i;
      return best;
    })();
    for (const seconds of [0.05, 0.3, 1]) {
      const from = Math.max(0, Math.min(loudest - 500, frameCount(clip) - seconds * 48_000));
      const short = m.part(clip, from, Math.round(from + seconds * 48_000));
      add(
        "short",
        `${seconds} s, ${name}`,
        () => ({ reference: m.worded(short, 24, 7), render: m.worded(m.late(short, 37), 24, 8) }),
        placed(37),
      );
    }
  }
  return list;
}

const MIX_OVER = "/usr/share/games/hedgewars/Data/Music/snow.ogg";
