import { describe, expect, it } from "vitest";
import { kindOfName } from "./kind-of-name";

describe("the kind that a name proposes", () => {
  it.each([
    ["Bus comp", "compressor"],
    ["compressor 4to1", "compressor"],
    ["EQ bright", "equalizer"],
    ["eq2", "equalizer"],
    ["High shelf", "equalizer"],
    ["Limiter -1", "limiter"],
    ["tape 15 ips", "saturator"],
    ["Clip", "saturator"],
    ["soft clipper", "saturator"],
    ["De-esser", "compressor"],
    ["mp3 128", "format"],
    ["EQ + comp + limiter", "chain"],
    ["Mastering chain", "chain"],
  ] as const)("%s is a %s", (title, kind) => {
    expect(kindOfName(title)).toBe(kind);
  });

  it.each(["Take 3", "equal parts", "Add reverb", "Saturday mix", "Complete", "b", "Dry"])(
    "%s is no family's",
    (title) => {
      expect(kindOfName(title)).toBe("other");
    },
  );
});
