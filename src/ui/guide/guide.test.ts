import { describe, expect, it } from "vitest";
import { pagesWith } from "./guide-pages";

describe("the guide in the app", () => {
  it("is searched for all words at once, in any case", () => {
    const pages = ["Null depth and level", "Level alone"].map((text, i) => ({ name: `${i}`, title: text, text }));
    const found = (search: string) => pagesWith(pages, search).map(({ page }) => page.name);
    expect(found("level")).toEqual(["0", "1"]);
    expect(found("NULL level")).toEqual(["0"]);
    expect(found("drift")).toEqual([]);
    expect(found(" ")).toEqual(["0", "1"]);
  });
});
