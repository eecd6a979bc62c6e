import { type Clip, frameCount } from "../audio/clip";
import { bilinearEqualizer } from "../processors/bilinear-equalizer";
import { driveStage } from "../processors/drive-stage";
import { hardCeiling } from "../processors/hard-ceiling";
import { crossingTheme, handDrums } from "./passages";

export const FERRY_TITLE = "Oxbow Ferry boarding music";

export const FERRY_PASSAGES = [
  { key: "crossing-theme", title: "Crossing theme", synthesise: crossingTheme },
  { key: "hand-drums", title: "Hand drums", synthesise: handDrums },
] as const;

type FerryCandidate = {
  key: string;
  title: string;
  settings: string;
  /** How late the render comes back, in samples, as from a host that does not make up for processing delay. */
  lateSamples: number;
  process(clip: Clip): Clip;
};

export const FERRY_CANDIDATES: readonly FerryCandidate[] = [
  {
    key: "bell-and-shelf",
    title: "Bell and shelf",
    settings: "bell 6.3 kHz +4, shelf 90 Hz +2, out +1.5",
    lateSamples: 64,
    process: (clip) =>
      bilinearEqualizer.process(clip, { shelfHz: 90, shelfDb: 2, bellHz: 6300, bellDb: 4, bellQ: 0.9, outputDb: 1.5 }),
  },
  {
    key: "drive-stage",
    title: "Drive stage",
    settings: "drive 14 dB, out +5, 2 × oversampling",
    lateSamples: 31,
    process: (clip) => driveStage.process(clip, { driveDb: 14, outputDb: 5, oversampling: 2 }),
  },
  {
    key: "hard-ceiling",
    title: "Hard ceiling",
    settings: "in +6, ceiling −1 dBFS",
    lateSamples: 5,
    process: (clip) => hardCeiling.process(clip, { inputDb: 6, ceilingDbfs: -1 }),
  },
];

/** A clip moved `samples` later, silence before it, as many frames longer. */
export function late(clip: Clip, samples: number): Clip {
  const channels = clip.channels.map((channel) => {
    const output = new Float32Array(frameCount(clip) + samples);
    output.set(channel, samples);
    return output;
  });
  return { ...clip, channels };
}

/** Every render of one demo passage, the dry one first, each made when it is asked for. Deterministic. */
export function* renderFerryPassage(passageKey: string): Generator<{ candidateKey: string | null; clip: Clip }> {
  const passage = FERRY_PASSAGES.find((p) => p.key === passageKey);
  if (!passage) throw new RangeError(`the demo has no passage ${passageKey}`);
  const dry = passage.synthesise();
  yield { candidateKey: null, clip: dry };
  for (const candidate of FERRY_CANDIDATES) {
    yield { candidateKey: candidate.key, clip: late(candidate.process(dry), candidate.lateSamples) };
  }
}
