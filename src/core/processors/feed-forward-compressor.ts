import { z } from "zod";
import { bilinear, cutSections } from "../audio/analogue";
import { filterCascade } from "../audio/biquad";
import { asStereo, type Clip } from "../audio/clip";
import { ahead, applyGains, compressedLevelDb, levelsDb, smoothReduction } from "./level-detection";
import { choice, defineProcessor, eachChannel, mixed, parameter } from "./processor";

/** What the detector listens to: the input or an external key, without its bottom where that is asked for. */
function keyOf(clip: Clip, key: Clip | undefined, lowCutHz: number): Clip {
  const source = key ?? clip;
  if (lowCutHz <= 0) return source;
  const filters = cutSections("low cut", lowCutHz, 2).map((s) => bilinear(s, source.sampleRateHz));
  return eachChannel(source, (channel) => filterCascade(channel, filters));
}

/** A key of another length is cut or continued in silence. */
function fitted(key: Clip, frames: number): Clip {
  return eachChannel(asStereo(key), (channel) => {
    const output = new Float32Array(frames);
    output.set(channel.subarray(0, frames));
    return output;
  });
}

export const feedForwardCompressor = defineProcessor({
  key: "feed-forward-compressor",
  name: "Compressor, feed-forward",
  about: "Threshold, ratio, knee, attack and release on the input's own level or an external key; both sides together.",
  family: "compressor",
  takesKey: true,
  parameters: z.object({
    thresholdDb: parameter("Threshold", "dBFS", -60, 0, -20),
    ratio: parameter("Ratio", ":1", 1, 100, 4),
    kneeDb: parameter("Knee", "dB", 0, 30, 6),
    attackMs: parameter("Attack", "ms", 0, 500, 10),
    releaseMs: parameter("Release", "ms", 5, 5000, 120),
    detector: choice("Detector", ["peak", "RMS"], "peak"),
    rmsMs: parameter("RMS time", "ms", 1, 500, 20),
    keyLowCutHz: parameter("Low cut of the key", "Hz", 0, 1000, 0),
    lookAheadMs: parameter("Look-ahead", "ms", 0, 20, 0),
    makeupDb: parameter("Make-up", "dB", -24, 24, 0),
    mixPercent: parameter("Mix", "%", 0, 100, 100),
  }),
  latencySamples: ({ lookAheadMs }, sampleRateHz) => Math.round((lookAheadMs * sampleRateHz) / 1000),
  process(clip, settings, { key }) {
    const { thresholdDb, ratio, kneeDb, attackMs, releaseMs, makeupDb, mixPercent } = settings;
    const outside = key && fitted(key, clip.channels[0].length);
    const levels = levelsDb(
      keyOf(clip, outside, settings.keyLowCutHz),
      settings.detector === "RMS" ? settings.rmsMs : 0,
    );
    const wanted = levels.map((level) => compressedLevelDb(level, thresholdDb, ratio, kneeDb) - level);
    const gains = smoothReduction(wanted, attackMs, releaseMs, clip.sampleRateHz);
    const lookAhead = Math.round((settings.lookAheadMs * clip.sampleRateHz) / 1000);
    return mixed(clip, applyGains(clip, ahead(gains, lookAhead), makeupDb), mixPercent);
  },
});
