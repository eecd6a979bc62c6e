import { describe, expect, it } from "vitest";
import { folderChange, nextVersion, versionSentence } from "./versions";

const candidate = (id: string, title: string, versionOf: string | null = null) => ({ id, title, versionOf });

describe("a later version of a candidate", () => {
  it("stands beside it under its name and a number, whichever version came before", () => {
    const candidates = [candidate("a", "Bus comp"), candidate("b", "Drive")];
    expect(nextVersion(candidates, "a")).toMatchObject({
      candidateTitle: "Bus comp, version 2",
      version: "2",
      versionOf: "a",
    });
    const three = [...candidates, candidate("a2", "Bus comp, version 2", "a")];
    for (const id of ["a", "a2"]) expect(nextVersion(three, id)?.candidateTitle).toBe("Bus comp, version 3");
    // One whose first version was deleted begins a row of its own.
    expect(nextVersion([candidate("a2", "Bus comp, version 2", "gone")], "a2")).toMatchObject({
      versionOf: "a2",
      number: 2,
    });
    expect(nextVersion(candidates, "nobody")).toBeNull();
  });

  it("is told with what it did to the level, as far as that is known", () => {
    const third = { candidateTitle: "", version: "3", versionOf: "a", number: 3, after: "Bus comp" };
    expect(versionSentence(third, -18.2, -18.6)).toBe("Bus comp, third version: 0.4 LU louder than the second.");
    expect(versionSentence(third, -19.6, -18.6)).toBe("Bus comp, third version: 1.0 LU quieter than the second.");
    expect(versionSentence(third, -18.62, -18.6)).toBe("Bus comp, third version: as loud as the second.");
    expect(versionSentence(third, null, -18.6)).toContain("cannot be told");
    expect(versionSentence(third, undefined, -18.6)).toBe("Bus comp, third version.");
    expect(versionSentence({ ...third, number: 12 }, -1, -2)).toContain("12th version: 1.0 LU louder than the 11th");
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
