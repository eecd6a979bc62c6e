import { allPass } from "./all-pass";
import { biasedStage } from "./biased-stage";
import { bilinearEqualizer } from "./bilinear-equalizer";
import { bitAndRateReducer } from "./bit-and-rate-reducer";
import { codedBand } from "./coded-band";
import { converter } from "./converter";
import { driveStage } from "./drive-stage";
import { dynamicEqualizer } from "./dynamic-equalizer";
import { feedForwardCompressor } from "./feed-forward-compressor";
import { gain } from "./gain";
import { hardCeiling } from "./hard-ceiling";
import { linearPhaseEqualizer } from "./linear-phase-equalizer";
import { matchedEqualizer } from "./matched-equalizer";
import { multibandCompressor } from "./multiband-compressor";
import { outboardLoop } from "./outboard-loop";
import { parallelHighShelf } from "./parallel-high-shelf";
import { passiveLowPair } from "./passive-low-pair";
import { phaseRotator } from "./phase-rotator";
import type { Processor } from "./processor";
import { slowLeveller } from "./slow-leveller";
import { softClip } from "./soft-clip";
import { tapeStage } from "./tape-stage";
import { truePeakLimiter } from "./true-peak-limiter";
import { upwardCompressor } from "./upward-compressor";

/** Every built-in processor, in the order the forms list them. Keys are kept in saved comparisons: never change one. */
export const PROCESSORS: readonly Processor[] = [
  bilinearEqualizer,
  matchedEqualizer,
  linearPhaseEqualizer,
  passiveLowPair,
  parallelHighShelf,
  feedForwardCompressor,
  slowLeveller,
  upwardCompressor,
  multibandCompressor,
  dynamicEqualizer,
  truePeakLimiter,
  hardCeiling,
  softClip,
  driveStage,
  biasedStage,
  tapeStage,
  bitAndRateReducer,
  gain,
  phaseRotator,
  allPass,
  converter,
  codedBand,
  outboardLoop,
] as unknown as readonly Processor[];

/** The processor of a key; undefined for a key of another version of the program. */
export const processorOf = (key: string): Processor | undefined => PROCESSORS.find((p) => p.key === key);
