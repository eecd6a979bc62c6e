import { describe, expect, it } from "vitest";
import { folderChange, nextVersion, versionSentence } from "./versions";

const candidate = (id: string, title: string, versionOf: string | null = null, version = "") => ({
  id,
  title,
  version,
  versionOf,
});

describe("a later version of a candidate", () => {
  const bus = candidate("a", "Bus comp");
  const second = candidate("a2", "Bus comp, version 2", "a", "2");

  it("stands beside it under its name and a number, whichever version the file was before", () => {
    expect(nextVersion([bus, candidate("b", "Drive")], new Set(["a", "b"]), "a")).toMatchObject({
      candidateTitle: "Bus comp, version 2",
      version: "2",
      versionOf: "a",
      beforeId: "a",
    });
    for (const id of ["a", "a2"])
      expect(nextVersion([second, bus], new Set(["a", "a2"]), id)).toMatchObject({
        candidateTitle: "Bus comp, version 3",
        beforeId: "a2",
        beforeNumber: 2,
      });
    expect(nextVersion([bus], new Set(["a"]), "nobody")).toBeNull();
  });

  it("joins the version of its number that another passage has, by whatever name that goes now", () => {
    const renamed = { ...second, title: "Bus, softer" };
    expect(nextVersion([bus, renamed], new Set(["a"]), "a")).toMatchObject({
      candidateTitle: "Bus, softer",
      number: 2,
    });
  });

  it("takes no number again where versions were deleted, and says which one it is compared with", () => {
    const third = candidate("a3", "Bus comp, version 3", "a", "3");
    expect(nextVersion([bus, third], new Set(["a", "a3"]), "a")).toMatchObject({ number: 4, beforeNumber: 3 });
    // The first is gone: the row goes on from what remains of it.
    expect(nextVersion([second], new Set(["a2"]), "a2")).toMatchObject({ versionOf: "a2", number: 2 });
    const odd = { ...second, version: "final" };
    expect(nextVersion([bus, odd], new Set(["a", "a2"]), "a")).toMatchObject({ number: 3, beforeId: "a2" });
  });

  it("is told with what it did to the level, as far as that is known", () => {
    const third = { number: 3, beforeNumber: 2, firstTitle: "Bus comp" };
    expect(versionSentence(third, -18.2, -18.6)).toBe("Bus comp, third version: 0.4 LU louder than the second.");
    expect(versionSentence(third, -19.6, -18.6)).toBe("Bus comp, third version: 1.0 LU quieter than the second.");
    expect(versionSentence(third, -18.62, -18.6)).toBe("Bus comp, third version: same level as the second.");
    expect(versionSentence(third, null, -18.6)).toContain("not measurable");
    expect(versionSentence(third, undefined, -18.6)).toBe("Bus comp, third version.");
    expect(versionSentence({ ...third, number: 12, beforeNumber: 10 }, -1, -2)).toContain(
      "12th version: 1.0 LU louder than the tenth",
    );
  });
});

describe("a folder that was looked through before", () => {
  const file = (path: string, byteLength = 10, lastModified = 1) => ({ path, byteLength, lastModified });

  it("tells what appeared, what was written again, and what is gone", () => {
    const before = [file("a.wav"), file("b.wav"), file("sub/c.wav"), file("d.wav")];
    const now = [file("a.wav"), file("b.wav", 12), file("sub/c.wav", 10, 2), file("e.wav")];
    const change = folderChange(before, now);
    expect(change.appeared.map((f) => f.path)).toEqual(["e.wav"]);
    expect(change.changed.map((f) => f.path)).toEqual(["b.wav", "sub/c.wav"]);
    expect(change.gone.map((f) => f.path)).toEqual(["d.wav"]);
    expect(folderChange(now, now)).toEqual({ appeared: [], changed: [], gone: [] });
  });
});
