import { describe, expect, it } from "vitest";
import { wordFaults } from "../testing/word-rules";
import { FILE_PROBLEMS, FILE_REMARKS } from "./files";

describe("every sentence that is said of a file", () => {
  it("keeps the rules", () => {
    const make = FILE_PROBLEMS;
    const gap = { startSeconds: 1.024, milliseconds: 85.3 };
    const problems = [
      ...[make.empty, make.noAudio, make.noTrack, make.formatMissing, make.dsd, make.unknown, make.otherOgg],
      ...[make.otherMp4, make.indexDamaged],
    ].map((problem) => problem("chorus dry.wav"));
    const figures = [
      make.formatUnsupported("chorus dry.wav", "code 17, 4 bit"),
      make.bitsUnsupported("chorus dry.flac", 5, "FLAC"),
      make.undecodable("chorus dry.flac", "FLAC"),
      make.noDecoder("chorus dry.m4a", "AAC"),
      ...[null, 6, 0].map((count) => make.channels("chorus dry.wav", count)),
      make.rate("chorus dry.wav", 4000, 8000, 384_000),
      make.tooLong("chorus dry.wav", 500_000_000),
      make.invalidSamples("chorus dry.wav", 1.25),
      make.farAboveFullScale("chorus dry.wav", 3e9, 1.25),
      make.convertedTooLong("chorus dry.wav", 8000, 384_000),
    ];
    expect(Object.keys(make)).toHaveLength(19);
    const { headDiffers, damaged, ...plain } = FILE_REMARKS;
    const texts = [
      ...[...problems, ...figures].flatMap(({ reason, advice }) => [reason, advice]),
      ...Object.values(plain),
      headDiffers(44_100, 16, 2),
      damaged([gap]),
      damaged([gap, gap, gap, gap]),
    ];
    expect(texts.flatMap((text) => wordFaults(text))).toEqual([]);
  });
});
