// Pairs whose causes are known: recordings through ffmpeg, sox, and processors of ours where neither has one; for `npm run trial -- explain`.
import { type Clip, frameCount } from "@/core/audio/clip";
import { atRate } from "@/core/audio/resample";
import { clipOf, soundOf } from "@/core/audio/sound";
import { CLASSES } from "./explain-classes";
import { type ExplainCase, levelled } from "./explain-truth";
import { type MaterialName, type Source, sources } from "./outside";

/** What a set of material is heard in: mixes, clean mixes, single instruments, at four rates. */
export function heard(material: MaterialName): Source[] {
  const all = sources(material);
  const some = (kind: Source["kind"], ...which: number[]) =>
    which.map((i) => all.filter((s) => s.kind === kind)[i]).filter(Boolean);
  const at = (s: Source, rateHz: number): Source => ({
    ...s,
    name: `${s.name} at ${rateHz / 1000} kHz`,
    clip: clipOf(atRate(soundOf(s.clip), rateHz)),
  });
  const [first, second, third] = some("mix", 0, 7, 8);
  return [
    first,
    some("clean mix", 1)[0],
    at(second, 44_100),
    some("instrument", 3)[0] ?? some("instrument", 0)[0],
    at(some("percussion", 0)[0], 96_000),
    some("speech", 1)[0],
    at(
      {
        ...third,
        clip: { ...third.clip, channels: third.clip.channels.map((c) => c.subarray(0, 8 * third.clip.sampleRateHz)) },
      },
      192_000,
    ),
  ].filter((s): s is Source => s !== undefined);
}

/** Groups whose settings mean something at one level alone. */
const LEVELLED = [
  "gain over time",
  "gain in bands",
  "saturation",
  "chain of two",
  "chain of three",
  "aliasing",
  "faults",
];

/** Each class on some of the material, turned so that every recording meets many classes. */
export function explainCases(material: MaterialName, times = 3): ExplainCase[] {
  const all = heard(material);
  const list: ExplainCase[] = [];
  for (const [i, [group, name, make, truth, needs]] of CLASSES.entries()) {
    const fitting = all.filter(
      ({ clip }) => (needs !== "stereo" || isStereo(clip)) && frameCount(clip) > 7.6 * clip.sampleRateHz,
    );
    for (let k = 0; k < times; k++) {
      const { name: sound, clip } = fitting[(i * 2 + k * 3) % fitting.length];
      list.push({
        group,
        name: `${name}, ${sound}`,
        make: () => {
          const levels = LEVELLED.includes(group);
          const dry = levels
            ? name.startsWith("limiter")
              ? levelled(clip, -12)
              : name.startsWith("odd")
                ? levelled(clip, -14)
                : name === "slow ride"
                  ? clip
                  : levelled(clip)
            : clip;
          return { here: dry, yonder: make(clip, clip.sampleRateHz) };
        },
        truth,
      });
    }
  }
  for (let k = 0; k < 4; k++) {
    // The fourth sounds in the second.
    const [a, b] = [all[k], all[k === 3 ? 0 : (k + 1) % 3]];
    list.push({
      group: "refused",
      name: `unrelated: ${a.name}, ${b.name}`,
      make: () => ({ here: a.clip, yonder: clipOf(atRate(soundOf(b.clip), a.clip.sampleRateHz)) }),
      truth: { causes: [], unexplained: true },
    });
  }
  return list;
}

/** Left and right are not the same. */
function isStereo({ channels }: Clip): boolean {
  if (channels.length < 2) return false;
  let [apart, all] = [0, 0];
  for (let i = 0; i < channels[0].length; i += 5) {
    apart += (channels[0][i] - channels[1][i]) ** 2;
    all += channels[0][i] ** 2;
  }
  return apart > 1e-4 * all;
}
