import { describe, expect, it } from "vitest";
import { guidePagesSchema } from "@/ui/guide/guide-pages";
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
});
