import "fake-indexeddb/auto";
import { describe, expect, it, vi } from "vitest";

const one = (title: string) => ({ title, isRelative: true, hertz: [100, 200], levels: Float64Array.of(1, Number.NaN) });

/** As after a reload: the same database, all else anew. */
async function freshPage() {
  vi.resetModules();
  const [kept, { readSetting }] = await Promise.all([import("./kept-curves"), import("@/store/settings")]);
  const titles = () => kept.useKeptCurves.getState().curves.map((curve) => curve.title);
  const isWritten = async (count: number) => {
    const { z } = await import("zod");
    const written = await readSetting("kept curves", z.array(z.looseObject({ title: z.string() })));
    expect(written).toHaveLength(count);
    return written?.map(({ title }) => title);
  };
  return { ...kept, titles, isWritten };
}

describe("kept curves", () => {
  it("are there again after a reload, with their names, each with a number of its own", async () => {
    const before = await freshPage();
    await before.loadKeptCurves();
    before.keepCurves([one("first"), one("second")]);
    before.renameCurve(before.useKeptCurves.getState().curves[0].id, "mine");
    await vi.waitFor(async () => expect(await before.isWritten(2)).toEqual(["mine", "second"]));

    const after = await freshPage();
    // Put by before those of the last time have been read.
    after.keepCurves([one("third")]);
    await Promise.all([after.loadKeptCurves(), after.loadKeptCurves()]);
    expect(after.titles()).toEqual(["mine", "second", "third"]);
    const { curves } = after.useKeptCurves.getState();
    expect(new Set(curves.map(({ id }) => id)).size).toBe(3);
    expect(curves[0]).toMatchObject({ hertz: [100, 200], levels: Float64Array.of(1, Number.NaN) });
    after.dropCurve(curves[1].id);
    await vi.waitFor(async () => expect(await after.isWritten(2)).toEqual(["mine", "third"]));
  });

  it("that cannot be read are left alone, and new ones take their place", async () => {
    const { writeSetting } = await import("@/store/settings");
    await writeSetting("kept curves", [{ title: "of another version" }]);
    const page = await freshPage();
    await page.loadKeptCurves();
    expect(page.titles()).toEqual([]);
    expect(await page.isWritten(1)).toEqual(["of another version"]);
    page.keepCurves([one("new")]);
    await vi.waitFor(async () => expect(await page.isWritten(1)).toEqual(["new"]));
  });
});
