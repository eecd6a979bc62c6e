import { AS_IT_IS, type Placement, placementOf } from "@/core/alignment/alignment";
import { adjustPlacement, backToFound, handOf, setLocked } from "@/store/line-up";
import type { Render } from "@/store/records";
import type { Alignments } from "@/ui/shell/use-results";
import type { Workbench } from "@/ui/shell/workbench";

type Lying = Pick<Workbench, "pair"> & Pick<Alignments, "alignments">;

/** Delays set by hand are kept to a ten-thousandth of a sample, so that nudging there and back ends where it began. */
const STEPS_A_SAMPLE = 10_000;

/** What brings a render aligned now. */
export const placementIn = ({ alignments }: Pick<Alignments, "alignments">, render: Render): Placement => {
  const alignment = alignments.get(render.id);
  return alignment ? placementOf(alignment) : AS_IT_IS;
};

export const isLocked = ({ pair }: Pick<Workbench, "pair">, render: Render): boolean =>
  pair !== null && handOf(render, pair.dry)?.locked === true;

/** What a person can do to a render's placement; nothing of it touches a locked one, or the dry render. */
export function handOn(workbench: Lying, render: Render) {
  const { pair } = workbench;
  const adjust = (change: (placement: Placement) => Placement) => {
    if (pair) void adjustPlacement(render.id, pair.dry, placementIn(workbench, render), change);
  };
  const opposite = (polarity: 1 | -1) => (polarity === 1 ? -1 : 1);
  return {
    set: (change: Partial<Placement>) => adjust((placement) => ({ ...placement, ...change })),
    /** Moves the sound: to the left (earlier) is negative, and takes it to have been later. */
    nudge: (bySamples: number) =>
      adjust((placement) => {
        const moved = Math.round((placement.delaySamples - bySamples) * STEPS_A_SAMPLE) / STEPS_A_SAMPLE;
        return { ...placement, delaySamples: moved + 0 };
      }),
    flip: (sides: "both" | "left" | "right") =>
      adjust((placement) => {
        const { left, right } = placement.polarity;
        return {
          ...placement,
          polarity: {
            left: sides === "right" ? left : opposite(left),
            right: sides === "left" ? right : opposite(right),
          },
        };
      }),
    swap: () => adjust((placement) => ({ ...placement, swapped: !placement.swapped })),
    toggleLock: () => {
      if (!pair || render.id === pair.dry.id) return;
      void setLocked(render, pair.dry, placementIn(workbench, render), !isLocked(workbench, render));
    },
    backToFound: () => {
      if (pair) void backToFound(render, pair.dry);
    },
  };
}
