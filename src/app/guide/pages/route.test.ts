import { describe, expect, it } from "vitest";
import { guidePagesSchema } from "@/ui/guide/guide-pages";
import { generateStaticParams, GET as getPicture } from "../pictures/[name]/route";
import { GET } from "./route";

describe("the guide in the app", () => {
  it("has the chapters of docs/guide in their order, each with its title", async () => {
    const pages = guidePagesSchema.parse(await GET().json());
    expect(pages[0].title).toBe("Ten minutes on the demo");
    const chapters = pages.slice(0, -1).map(({ name }) => name);
    expect(chapters).toEqual(chapters.toSorted());
    expect(pages.at(-1)?.name).toBe("figures");
    expect(pages.length).toBeGreaterThan(10);
    expect(pages.every(({ title }) => title.length > 2)).toBe(true);
  });

  it("has every picture that a chapter shows, each described", async () => {
    const pages = guidePagesSchema.parse(await GET().json());
    const shown = pages.flatMap(({ text }) => [...text.matchAll(/!\[([^\]]*)\]\(\.\.\/screenshots\/([^)]*)\)/g)]);
    expect(shown.length).toBeGreaterThan(5);
    const served = new Set(generateStaticParams().map(({ name }) => name));
    expect(served.size).toBeLessThan(20);
    for (const [, description, name] of shown) {
      expect(description.length, name).toBeGreaterThan(10);
      expect(served).toContain(name);
      const picture = await getPicture(new Request("http://localhost/"), { params: Promise.resolve({ name }) });
      expect((await picture.arrayBuffer()).byteLength).toBeGreaterThan(10_000);
    }
  });
});
