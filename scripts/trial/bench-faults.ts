// What the bench is tried on beside processors: noise and faults on the way.
import * as E from "./bench-effects";

/** What happens on the way, and what the bench must say of it. */
export type Fault = {
  /** Of the way itself, dB. */
  gainDb?: number;
  name: string;
  group: string;
  apply: E.Mono;
  says: { what: string; hertz?: number; samples?: number; atSeconds?: number }[];
};

export const noises: Fault[] = [
  { name: "clean", group: "", apply: E.wire, says: [] },
  ...[-100, -70, -50].map(
    (dbfs): Fault => ({
      name: `noise ${dbfs}`,
      group: "",
      apply: E.plus((n, _, channel) => E.noise(n, dbfs, 7 + channel)),
      says: dbfs > -80 ? [{ what: "noise" }] : [],
    }),
  ),
  {
    name: "hum",
    group: "",
    apply: E.chain(
      E.lines([50, -64], [100, -72], [150, -70]),
      E.plus((n, _, channel) => E.noise(n, -100, 5 + channel)),
    ),
    says: [{ what: "hum", hertz: 50 }],
  },
  {
    name: "DC",
    group: "",
    apply: E.chain(
      E.shape((v) => v + 0.001),
      E.plus((n, _, channel) => E.noise(n, -110, 5 + channel)),
    ),
    says: [{ what: "dc" }],
  },
];

export const faults: Fault[] = [
  {
    name: "512 lost at 20 s",
    group: "faults",
    apply: E.lost(21, 512),
    says: [{ what: "lost", samples: 512, atSeconds: 21 }],
  },
  {
    name: "64 lost at 10 s",
    group: "faults",
    apply: E.lost(11, 64),
    says: [{ what: "lost", samples: 64, atSeconds: 11 }],
  },
  { name: "1 lost at 30 s", group: "faults", apply: E.lost(31, 1), says: [{ what: "lost", samples: 1 }] },
  {
    name: "256 repeated at 25 s",
    group: "faults",
    apply: E.repeated(26, 256),
    says: [{ what: "repeated", samples: 256, atSeconds: 26 }],
  },
  {
    name: "losses at three places",
    group: "faults",
    apply: E.chain(E.lost(35, 128), E.lost(20, 512), E.lost(8, 64)),
    says: [
      { what: "lost", samples: 64 },
      { what: "lost", samples: 512 },
      { what: "lost", samples: 128 },
    ],
  },
  { name: "dropout of 10 ms in a sweep", group: "faults", apply: E.dropout(27.5, 10), says: [{ what: "dropout" }] },
  { name: "dropout in the long tone", group: "faults", apply: E.dropout(19.4, 5), says: [{ what: "dropout" }] },
  { name: "60 Hz at −70", group: "faults", apply: E.lines([60, -70]), says: [{ what: "hum", hertz: 60 }] },
  {
    name: "1234.5 Hz at −75",
    group: "faults",
    apply: E.chain(
      E.lines([1234.5, -75]),
      E.plus((n, _, channel) => E.noise(n, -100, 4 + channel)),
    ),
    says: [{ what: "line", hertz: 1234.5 }],
  },
  {
    name: "pink noise at −80",
    group: "faults",
    apply: E.plus((n, _, channel) => E.pink(n, -80, 3 + channel)),
    says: [{ what: "noise" }],
  },
  {
    name: "pink noise at −55",
    group: "faults",
    apply: E.plus((n, _, channel) => E.pink(n, -55, 3 + channel)),
    says: [{ what: "noise" }],
  },
  {
    name: "wow 0.01 %",
    group: "faults",
    apply: E.moved((t) => 0.01 + (1e-4 / (2 * Math.PI * 0.55)) * Math.sin(2 * Math.PI * 0.55 * t)),
    says: [{ what: "wow" }],
  },
  {
    name: "wow 0.05 % at 4 Hz",
    group: "faults",
    apply: E.moved((t) => 0.01 + (5e-4 / (2 * Math.PI * 4)) * Math.sin(2 * Math.PI * 4 * t)),
    says: [{ what: "wow" }],
  },
  {
    name: "overload on the way",
    group: "faults",
    apply: E.shape((v) => Math.max(-1, Math.min(1, 5 * v))),
    gainDb: 20 * Math.log10(5),
    says: [{ what: "overload" }],
  },
  { name: "50 ppm", group: "faults", apply: E.moved((t) => 0.01 + 50e-6 * t), says: [] },
];
