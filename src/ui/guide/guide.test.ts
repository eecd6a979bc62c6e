import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { slugify } from "markdown-to-jsx";
import { describe, expect, it } from "vitest";
import { STEP_FIGURES } from "@/core/words/explain-steps";
import { FIGURES } from "@/core/words/figures";
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

  it("opens the figures at the heading of each that can be asked about", () => {
    const headings = readFileSync("docs/figures.md", "utf8").matchAll(/^#{2,3} (.*)$/gm);
    const sections = new Set([...headings].map(([, heading]) => slugify(heading)));
    expect(Object.values(FIGURES).filter(({ section }) => !sections.has(section))).toEqual([]);
  });

  it("knows no figure that nothing on screen asks about", () => {
    const sources = readdirSync("src/ui", { recursive: true, encoding: "utf8" })
      .filter((name) => name.endsWith(".tsx"))
      .map((name) => readFileSync(join("src/ui", name), "utf8"));
    const asking = [...sources, JSON.stringify(STEP_FIGURES)].join("");
    expect(Object.keys(FIGURES).filter((key) => !asking.includes(`"${key}"`))).toEqual([]);
  });
});
