import type { Clip } from "../audio/clip";
import { type Sound, soundOf } from "../audio/sound";
import { type Chain, delayed, runChain } from "../processors/chain";
import { deckAnnouncement } from "./announcement";
import { boardingChime, crossingTheme, handDrums } from "./passages";

export const FERRY_TITLE = "Oxbow Ferry boarding music";

export const FERRY_PASSAGES = [
  { key: "crossing-theme", title: "Crossing theme", synthesise: crossingTheme },
  { key: "hand-drums", title: "Hand drums", synthesise: handDrums },
  { key: "boarding-chime", title: "Boarding chime", synthesise: boardingChime },
  { key: "deck-announcement", title: "Deck announcement", synthesise: deckAnnouncement },
] as const;

export type FerryCandidate = {
  key: string;
  title: string;
  version: string;
  notes: string;
  chain: Chain;
  /** How late the render comes back, in samples, as from a host that does not make up for processing delay. */
  lateSamples: number;
};

/** The same curve twice, near half the rate not the same: what the pair is there to show. */
const SHARED_CURVE = {
  bands: [
    { kind: "high shelf", frequencyHz: 12_000, gainDb: 5 },
    { kind: "bell", frequencyHz: 300, gainDb: -2, q: 1 },
  ],
  outputDb: -2,
};

export const FERRY_CANDIDATES: readonly FerryCandidate[] = [
  {
    key: "air-bilinear",
    title: "Air lift, bilinear",
    version: "",
    notes: "Same settings as the matched one beside it.",
    chain: [{ processorKey: "bilinear-equalizer", settings: SHARED_CURVE }],
    lateSamples: 64,
  },
  {
    key: "air-matched",
    title: "Air lift, matched",
    version: "",
    notes: "Differs from the bilinear one above 8 kHz only.",
    chain: [{ processorKey: "matched-equalizer", settings: SHARED_CURVE }],
    lateSamples: 0,
  },
  {
    key: "bus-compressor",
    title: "Bus compressor",
    version: "",
    notes: "",
    chain: [
      {
        processorKey: "feed-forward-compressor",
        settings: { thresholdDb: -18, ratio: 4, attackMs: 10, releaseMs: 120, makeupDb: 5 },
      },
    ],
    lateSamples: 48,
  },
  {
    key: "leveller-1",
    title: "Leveller",
    version: "1.0",
    notes: "Make-up steps 0, 3 and 6.",
    chain: [{ processorKey: "slow-leveller", settings: { thresholdDb: -28, ratio: 3, makeupDb: 3 } }],
    lateSamples: 0,
  },
  {
    key: "leveller-2",
    title: "Leveller, newer",
    version: "2.0",
    notes: "Comes out louder than 1.0 on the same material.",
    chain: [{ processorKey: "slow-leveller", settings: { thresholdDb: -28, ratio: 2.5, kneeDb: 6, makeupDb: 6.5 } }],
    lateSamples: 0,
  },
  {
    key: "look-ahead-limiter",
    title: "Look-ahead limiter",
    version: "",
    notes: "",
    chain: [{ processorKey: "true-peak-limiter", settings: { inputDb: 7, ceilingDb: -1 } }],
    lateSamples: 96,
  },
  {
    key: "drive-stage",
    title: "Drive stage",
    version: "",
    notes: "2× oversampling: some aliasing.",
    chain: [{ processorKey: "drive-stage", settings: { driveDb: 14, outputDb: 5, oversampling: 2 } }],
    lateSamples: 31,
  },
  {
    key: "outboard-loop",
    title: "Outboard loop",
    version: "",
    notes: "Nearest step of the passive unit: 60 Hz, +4.",
    chain: [
      { processorKey: "passive-low-pair", settings: { frequencyHz: 60, boostDb: 4, outputDb: -1 } },
      {
        processorKey: "outboard-loop",
        settings: { latencySamples: 211.4, clockPpm: 3, noiseFloorDbfs: -92, rightOffsetDb: 0.08, flipped: true },
      },
    ],
    lateSamples: 0,
  },
];

/** One dry demo passage; deterministic. Throws RangeError for a key it does not have. */
export function synthesiseFerry(passageKey: string): Clip {
  const passage = FERRY_PASSAGES.find((p) => p.key === passageKey);
  if (!passage) throw new RangeError(`the demo has no passage ${passageKey}`);
  return passage.synthesise();
}

/** A dry passage through one of the demo's candidates, late as it would come back. */
export function renderFerry(dry: Clip, candidateKey: string): Sound {
  const candidate = FERRY_CANDIDATES.find((c) => c.key === candidateKey);
  if (!candidate) throw new RangeError(`the demo has no candidate ${candidateKey}`);
  return delayed(runChain(soundOf(dry), candidate.chain), candidate.lateSamples);
}
