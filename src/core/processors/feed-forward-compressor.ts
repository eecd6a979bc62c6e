import { z } from "zod";
import { bilinear, cutSections } from "../audio/analogue";
import { throughBiquads } from "../audio/biquad";
import { type Sound, stretch } from "../audio/sound";
import { ahead, applyGains, levelsDb, reductionsDb, smoothReduction } from "./level-detection";
import { choice, defineProcessor, mixed, parameter } from "./processor";

/** What the detector listens to: the input or an external key, without its bottom where that is asked for. */
function keyOf(sound: Sound, key: Sound | undefined, lowCutHz: number): Sound {
  // A key of another length is cut or continued in silence.
  const source = key ? stretch(key, { startFrame: 0, endFrame: sound.frames }) : sound;
  if (lowCutHz <= 0) return source;
  return throughBiquads(
    source,
    cutSections("low cut", lowCutHz, 2).map((s) => bilinear(s, source.sampleRateHz)),
  );
}

export const feedForwardCompressor = defineProcessor({
  key: "feed-forward-compressor",
  name: "Compressor, feed-forward",
  about: "Threshold, ratio, knee, attack and release, from its own level or a sidechain; channels linked.",
  family: "compressor",
  takesSidechain: true,
  parameters: z.object({
    thresholdDb: parameter("Threshold", "dBFS", -60, 0, -20),
    ratio: parameter("Ratio", ":1", 1, 100, 4),
    kneeDb: parameter("Knee", "dB", 0, 30, 6),
    attackMs: parameter("Attack", "ms", 0, 500, 10),
    releaseMs: parameter("Release", "ms", 5, 5000, 120),
    detector: choice("Detector", ["peak", "RMS"], "peak"),
    rmsMs: parameter("RMS time", "ms", 1, 500, 20),
    keyLowCutHz: parameter("Sidechain low cut", "Hz", 0, 1000, 0),
    lookAheadMs: parameter("Look-ahead", "ms", 0, 20, 0),
    makeupDb: parameter("Make-up", "dB", -24, 24, 0),
    mixPercent: parameter("Mix", "%", 0, 100, 100),
  }),
  latencySamples: ({ lookAheadMs }, sampleRateHz) => Math.round((lookAheadMs * sampleRateHz) / 1000),
  process(sound, settings, { key }) {
    const { thresholdDb, ratio, kneeDb, attackMs, releaseMs, makeupDb, mixPercent } = settings;
    const levels = levelsDb(keyOf(sound, key, settings.keyLowCutHz), settings.detector === "RMS" ? settings.rmsMs : 0);
    const gains = smoothReduction(reductionsDb(levels, thresholdDb, ratio, kneeDb), attackMs, releaseMs);
    const lookAhead = Math.round((settings.lookAheadMs * sound.sampleRateHz) / 1000);
    return mixed(sound, applyGains(sound, ahead(gains, lookAhead), makeupDb), mixPercent);
  },
});
