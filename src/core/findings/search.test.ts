import { describe, expect, it } from "vitest";
import { search } from "./search";

const texts = [
  { comparisonId: "ferry", what: "title", text: "Oxbow Ferry boarding music" },
  { comparisonId: "ferry", what: "note", text: "Die Glocken sind zu früh" },
  { comparisonId: "ferry", what: "candidate", text: "Bus compressor, 4:1" },
  { comparisonId: "grid", what: "title", text: "Grid" },
  { comparisonId: "grid", what: "file", text: "bus final 2.wav" },
];
const found = (query: string) =>
  search(query, texts).map(({ comparisonId, hits }) => [comparisonId, hits.map((h) => h.what)]);

describe("searching all comparisons", () => {
  it("finds every word wherever it stands, without case and accents, in one text", () => {
    expect(found("bus")).toEqual([
      ["ferry", ["candidate"]],
      ["grid", ["file"]],
    ]);
    expect(found("FRUH glocken")).toEqual([["ferry", ["note"]]]);
    // Words of two different texts are no find.
    expect(found("glocken compressor")).toEqual([]);
    expect(found("grid")).toEqual([["grid", []]]);
  });

  it("finds all of them where nothing is looked for, and no more than a few hits of each", () => {
    expect(found("  ")).toEqual([
      ["ferry", []],
      ["grid", []],
    ]);
    const many = Array.from({ length: 9 }, (_, i) => ({ comparisonId: "x", what: "file", text: `take ${i}` }));
    expect(search("take", many)[0].hits).toHaveLength(3);
  });
});
