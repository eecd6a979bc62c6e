import { beforeEach, describe, expect, it, vi } from "vitest";
import { type Alignment, AS_IT_IS, IN_STEP, type Placement } from "@/core/alignment/alignment";
import type { Render } from "@/store/records";
import type { Results } from "@/ui/shell/use-results";
import { handOn, isLocked, placementIn } from "./hand";

// What a button or key does to a placement; keeping it is the store's affair and tested there.

const adjusted: Placement[] = [];
const setLocked = vi.fn();
const backToFound = vi.fn();
vi.mock("@/store/line-up", () => ({
  adjustPlacement: (_id: string, _dry: Render, found: Placement, change: (p: Placement) => Placement) => {
    adjusted.push(change(found));
  },
  backToFound: (...args: unknown[]) => backToFound(...args),
  handOf: (render: Render) => render.hand,
  setLocked: (...args: unknown[]) => setLocked(...args),
}));

const dry = { id: "dry", hand: null } as Render;
const render = { id: "late", hand: null } as Render;
const lying = (alignment: Alignment): Results =>
  ({ pair: { dry }, alignments: new Map([["late", alignment]]) }) as unknown as Results;
const at = (delaySamples: number) => lying({ ...IN_STEP, delaySamples });

beforeEach(() => {
  adjusted.length = 0;
  vi.clearAllMocks();
});

describe("a hand on a render", () => {
  it("moves the sound to the right by taking it to be less late", () => {
    handOn(at(64), render).nudge(1);
    handOn(at(64), render).nudge(-1);
    handOn(at(64.25), render).nudge(0.01);
    expect(adjusted.map((p) => p.delaySamples)).toEqual([63, 65, 64.24]);
  });

  it("ends where it began after a hundred hundredths there and a sample back, whole again", () => {
    let delaySamples = 7;
    for (let i = 0; i < 100; i++) {
      handOn(at(delaySamples), render).nudge(-0.01);
      delaySamples = adjusted[adjusted.length - 1].delaySamples;
    }
    handOn(at(delaySamples), render).nudge(1);
    expect(adjusted[adjusted.length - 1].delaySamples).toBe(7);
    // Nought is nought, not minus nought: a whole shift of nothing hands the render back as it is.
    handOn(at(1), render).nudge(1);
    expect(Object.is(adjusted[adjusted.length - 1].delaySamples, 0)).toBe(true);
  });

  it("flips one side or both, swaps, and sets what is typed", () => {
    const does = handOn(at(3), render);
    does.flip("left");
    does.flip("right");
    does.flip("both");
    does.swap();
    does.set({ delaySamples: 9.5, driftPpm: -2 });
    expect(adjusted.map((p) => [p.polarity.left, p.polarity.right, p.swapped])).toEqual([
      [-1, 1, false],
      [1, -1, false],
      [-1, -1, false],
      [1, 1, true],
      [1, 1, false],
    ]);
    expect(adjusted[4]).toMatchObject({ delaySamples: 9.5, driftPpm: -2 });
  });

  it("starts from nothing to undo where no place was found", () => {
    const lost = lying({ found: false, reason: { kind: "render silent" }, confidence: 0 });
    expect(placementIn(lost, render)).toEqual(AS_IT_IS);
    handOn(lost, render).nudge(-5);
    expect(adjusted[0].delaySamples).toBe(5);
  });

  it("locks what holds now and lets it go, but never the dry render", () => {
    handOn(at(3), render).toggleLock();
    expect(setLocked).toHaveBeenCalledWith(render, dry, expect.objectContaining({ delaySamples: 3 }), true);
    const held = { ...render, hand: { dryAudioHash: "", placement: AS_IT_IS, locked: true } };
    expect(isLocked(at(3), held)).toBe(true);
    handOn(at(3), held).toggleLock();
    expect(setLocked).toHaveBeenLastCalledWith(held, dry, expect.anything(), false);
    handOn(at(3), dry).toggleLock();
    expect(setLocked).toHaveBeenCalledTimes(2);
    handOn(at(3), render).backToFound();
    expect(backToFound).toHaveBeenCalledWith(render, dry);
  });
});
