// Processors and faults of known truth for the trial of the bench, sample by sample in double precision, written from textbooks and not from ours.

/** `channel` is 0 or 1, for what is not the same on both. */
export type Mono = (x: Float64Array, rate: number, channel?: number) => Float64Array;

const db = (v: number) => 10 ** (v / 20);

/** Static curve of a downward compressor with a quadratic knee (Giannoulis, Massberg, Reiss 2012). */
function curve(level: number, threshold: number, ratio: number, knee: number): number {
  const over = level - threshold;
  if (2 * over < -knee) return 0;
  if (knee > 0 && 2 * over <= knee) return ((1 / ratio - 1) * (over + knee / 2) ** 2) / (2 * knee);
  return (1 / ratio - 1) * over;
}

type Compressor = {
  threshold: number;
  ratio: number;
  attack: number;
  release: number;
  knee?: number;
  makeup?: number;
  hold?: number;
  lookAhead?: number;
  rms?: number;
  mix?: number;
  feedback?: boolean;
  /** Detector listens through this. */
  sidechain?: Mono;
};

const pole = (ms: number, rate: number) => (ms <= 0 ? 0 : Math.exp(-1000 / (ms * rate)));

/** Gain over time (linear) of a compressor that listens to `key`. */
export function gainOf(key: Float64Array, rate: number, c: Compressor): Float64Array {
  const [a, r, p] = [pole(c.attack, rate), pole(c.release, rate), pole(c.rms ?? 0, rate)];
  const hold = Math.round(((c.hold ?? 0) * rate) / 1000);
  let [state, power, held] = [0, 0, 0];
  return Float64Array.from(key, (v) => {
    const heard = c.feedback ? v * db(state) : v;
    power = heard * heard + p * (power - heard * heard);
    const level = 10 * Math.log10(power + 1e-30);
    const wanted = curve(level, c.threshold, c.ratio, c.knee ?? 0);
    if (wanted < state) {
      state = wanted + a * (state - wanted);
      held = 0;
    } else if (held < hold) held++;
    else state = wanted + r * (state - wanted);
    return db(state + (c.makeup ?? 0));
  });
}

const ahead = (gain: Float64Array, frames: number) => gain.map((_, i) => gain[Math.min(gain.length - 1, i + frames)]);

export function compressor(c: Compressor): Mono {
  return (x, rate) => {
    const key = c.sidechain ? c.sidechain(x, rate) : x;
    const gain = ahead(gainOf(key, rate, c), Math.round(((c.lookAhead ?? 0) * rate) / 1000));
    const mix = c.mix ?? 1;
    return x.map((v, i) => v * (1 - mix + mix * gain[i]));
  };
}

export const C = (
  threshold: number,
  ratio: number,
  attack: number,
  release: number,
  more: Partial<Compressor> = {},
): Mono => compressor({ threshold, ratio, attack, release, ...more });

/** Downward expander or gate: below the threshold gain falls by (ratio − 1) dB a dB, down to the range. */
export function expander(e: {
  threshold: number;
  ratio: number;
  range: number;
  attack: number;
  release: number;
  hold?: number;
}): Mono {
  return (x, rate) => {
    const [a, r] = [pole(e.attack, rate), pole(e.release, rate)];
    // A fast envelope first, so that a wave's own crossings do not close it.
    const fall = pole(20, rate);
    const hold = Math.round(((e.hold ?? 0) * rate) / 1000);
    let [envelope, state, held] = [0, -e.range, 0];
    return x.map((v) => {
      envelope = Math.max(Math.abs(v), fall * envelope);
      const level = 20 * Math.log10(envelope + 1e-15);
      const wanted = Math.max(-e.range, Math.min(0, (e.ratio - 1) * (level - e.threshold)));
      if (wanted > state) {
        state = wanted + a * (state - wanted);
        held = 0;
      } else if (held < hold) held++;
      else state = wanted + r * (state - wanted);
      return v * db(state);
    });
  };
}

export type Section = { b: [number, number, number]; a: [number, number, number] };

/** Bristow-Johnson's cookbook. */
export function section(
  kind: "bell" | "lowShelf" | "highShelf" | "lowCut" | "highCut" | "allPass" | "bandPass",
  hertz: number,
  gainDb: number,
  q: number,
  rate: number,
): Section {
  const w = (2 * Math.PI * Math.min(hertz, 0.49 * rate)) / rate;
  const [c, s] = [Math.cos(w), Math.sin(w)];
  const alpha = s / (2 * q);
  const A = 10 ** (gainDb / 40);
  const root = 2 * Math.sqrt(A) * alpha;
  switch (kind) {
    case "bell":
      return { b: [1 + alpha * A, -2 * c, 1 - alpha * A], a: [1 + alpha / A, -2 * c, 1 - alpha / A] };
    case "lowShelf":
      return {
        b: [A * (A + 1 - (A - 1) * c + root), 2 * A * (A - 1 - (A + 1) * c), A * (A + 1 - (A - 1) * c - root)],
        a: [A + 1 + (A - 1) * c + root, -2 * (A - 1 + (A + 1) * c), A + 1 + (A - 1) * c - root],
      };
    case "highShelf":
      return {
        b: [A * (A + 1 + (A - 1) * c + root), -2 * A * (A - 1 + (A + 1) * c), A * (A + 1 + (A - 1) * c - root)],
        a: [A + 1 - (A - 1) * c + root, 2 * (A - 1 - (A + 1) * c), A + 1 - (A - 1) * c - root],
      };
    case "lowCut":
      return { b: [(1 + c) / 2, -(1 + c), (1 + c) / 2], a: [1 + alpha, -2 * c, 1 - alpha] };
    case "highCut":
      return { b: [(1 - c) / 2, 1 - c, (1 - c) / 2], a: [1 + alpha, -2 * c, 1 - alpha] };
    case "allPass":
      return { b: [1 - alpha, -2 * c, 1 + alpha], a: [1 + alpha, -2 * c, 1 - alpha] };
    case "bandPass":
      return { b: [alpha, 0, -alpha], a: [1 + alpha, -2 * c, 1 - alpha] };
  }
}

export function filtered(x: Float64Array, sections: readonly Section[]): Float64Array {
  let y = x;
  for (const { b, a } of sections) {
    const [b0, b1, b2, a1, a2] = [b[0] / a[0], b[1] / a[0], b[2] / a[0], a[1] / a[0], a[2] / a[0]];
    let [s1, s2] = [0, 0];
    y = y.map((v) => {
      const out = b0 * v + s1;
      s1 = b1 * v - a1 * out + s2;
      s2 = b2 * v - a2 * out;
      return out;
    });
  }
  return y;
}

export const eq =
  (...bands: [kind: Parameters<typeof section>[0], hertz: number, gainDb: number, q: number][]): Mono =>
  (x, rate) =>
    filtered(
      x,
      bands.map(([kind, hertz, gainDb, q]) => section(kind, hertz, gainDb, q, rate)),
    );

export const chain =
  (...stages: Mono[]): Mono =>
  (x, rate, channel) =>
    stages.reduce((y, stage) => stage(y, rate, channel), x);

export const shape =
  (f: (v: number) => number): Mono =>
  (x) =>
    x.map(f);

export const gain = (gainDb: number): Mono => shape((v) => v * db(gainDb));
export const wire: Mono = (x) => x;
export const late =
  (frames: number): Mono =>
  (x) =>
    x.map((_, i) => (i >= frames ? x[i - frames] : 0));

/** Linkwitz-Riley of 24 dB an octave: two Butterworths in a row. */
const low = (x: Float64Array, hertz: number, rate: number) => {
  const s = section("highCut", hertz, 0, Math.SQRT1_2, rate);
  return filtered(x, [s, s]);
};
const high = (x: Float64Array, hertz: number, rate: number) => {
  const s = section("lowCut", hertz, 0, Math.SQRT1_2, rate);
  return filtered(x, [s, s]);
};
const turned = (x: Float64Array, hertz: number, rate: number) =>
  filtered(x, [section("allPass", hertz, 0, Math.SQRT1_2, rate)]);

/** Two or three bands, each through its own processor. */
export const split =
  (edges: readonly number[], bands: readonly Mono[]): Mono =>
  (x, rate) => {
    if (edges.length === 1) {
      const [a, b] = [bands[0](low(x, edges[0], rate), rate), bands[1](high(x, edges[0], rate), rate)];
      return a.map((v, i) => v + b[i]);
    }
    const bottom = turned(low(x, edges[0], rate), edges[1], rate);
    const rest = high(x, edges[0], rate);
    const parts = [bottom, low(rest, edges[1], rate), high(rest, edges[1], rate)].map((part, i) =>
      bands[i](part, rate),
    );
    return parts[0].map((v, i) => v + parts[1][i] + parts[2][i]);
  };

/** A bell whose gain follows the level of its own band. */
export const dynamicBell =
  (hertz: number, q: number, c: Compressor): Mono =>
  (x, rate) => {
    const band = filtered(x, [section("bandPass", hertz, 0, q, rate)]);
    const g = gainOf(band, rate, c);
    return x.map((v, i) => v + (g[i] - 1) * band[i]);
  };

/** What is above a frequency is turned down when it is loud: split, or all of it. */
export const deEsser = (hertz: number, c: Compressor, isSplit: boolean): Mono => {
  const above: Mono = (x, rate) => high(x, hertz, rate);
  return isSplit ? split([hertz], [wire, compressor(c)]) : compressor({ ...c, sidechain: above });
};

export const tremolo =
  (hertz: number, depth: number): Mono =>
  (x, rate) =>
    x.map((v, i) => v * (1 - depth * (0.5 + 0.5 * Math.sin((2 * Math.PI * hertz * i) / rate))));

/** The signal read at moving places: a vibrato, or wow; `mix` 0.5 is a chorus. */
export const moved =
  (place: (seconds: number) => number, mix = 1): Mono =>
  (x, rate) =>
    x.map((v, i) => {
      const at = i - place(i / rate) * rate;
      const whole = Math.floor(at);
      let sum = 0;
      for (let k = -15; k <= 16; k++) {
        const d = at - whole - k;
        const window = 0.5 + 0.5 * Math.cos((Math.PI * d) / 17);
        sum += (x[whole + k] ?? 0) * window * (Math.abs(d) < 1e-9 ? 1 : Math.sin(Math.PI * d) / (Math.PI * d));
      }
      return (1 - mix) * v + mix * sum;
    });

/** Gaussian noise of an effective value in dBFS, from a seed. */
export function noise(frames: number, dbfs: number, seed: number): Float64Array {
  let state = seed >>> 0 || 1;
  const uniform = () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return (state + 0.5) / 2 ** 32;
  };
  const amplitude = db(dbfs);
  return Float64Array.from(
    { length: frames },
    () => amplitude * Math.sqrt(-2 * Math.log(uniform())) * Math.cos(2 * Math.PI * uniform()),
  );
}

/** Pink noise by Kellet's filter (public domain, from memory), of an effective value in dBFS. */
export function pink(frames: number, dbfs: number, seed: number): Float64Array {
  const white = noise(frames, 0, seed);
  const s = [0, 0, 0];
  const y = white.map((v) => {
    s[0] = 0.99765 * s[0] + v * 0.099046;
    s[1] = 0.963 * s[1] + v * 0.2965164;
    s[2] = 0.57 * s[2] + v * 1.0526913;
    return s[0] + s[1] + s[2] + v * 0.1848;
  });
  const rms = Math.sqrt(y.reduce((sum, v) => sum + v * v, 0) / frames);
  return y.map((v) => (v * db(dbfs)) / rms);
}

/** Adds what each channel has of its own; made once for a length, a rate and a channel. */
export const plus = (add: (frames: number, rate: number, channel: number) => Float64Array): Mono => {
  const made = new Map<string, Float64Array>();
  return (x, rate, channel = 0) => {
    const name = `${x.length} ${rate} ${channel}`;
    const other = made.get(name) ?? add(x.length, rate, channel);
    made.set(name, other);
    return x.map((v, i) => v + other[i]);
  };
};

export const lines = (...list: [hertz: number, dbfs: number][]): Mono =>
  plus((frames, rate) =>
    new Float64Array(frames).map((_, i) =>
      list.reduce((sum, [hertz, dbfs], n) => sum + db(dbfs) * Math.sin((2 * Math.PI * hertz * i) / rate + n), 0),
    ),
  );

/** Frames taken out, or played twice, from a second on. */
export const lost =
  (seconds: number, frames: number): Mono =>
  (x, rate) => {
    const at = Math.round(seconds * rate);
    const output = new Float64Array(x.length - frames);
    output.set(x.subarray(0, at));
    output.set(x.subarray(at + frames), at);
    return output;
  };
export const repeated =
  (seconds: number, frames: number): Mono =>
  (x, rate) => {
    const at = Math.round(seconds * rate);
    const output = new Float64Array(x.length + frames);
    output.set(x.subarray(0, at));
    output.set(x.subarray(at - frames), at);
    return output;
  };
export const dropout =
  (seconds: number, ms: number): Mono =>
  (x, rate) =>
    x.map((v, i) => (i >= seconds * rate && i < (seconds + ms / 1000) * rate ? 0 : v));
