/** Width of a figure on an axis, 11 px of the monospaced face, and the least room between two, in pixels. */
const PIXELS_A_CHARACTER = 6.6;
const LEAST_ROOM = 5;
/** So near to an end a mark is written inwards. */
const END = 24;

type Mark = { at: number; text: string };
type PlacedMark = Mark & { anchor: "start" | "middle" | "end"; hasRoom: boolean };

/** Marks of an axis of this width, in pixels, with those named that do not touch another; from the far end, so that the ends keep theirs. */
export function marksApart(marks: readonly Mark[], width: number): PlacedMark[] {
  let free = Number.POSITIVE_INFINITY;
  return marks
    .toSorted((a, b) => b.at - a.at)
    .map((mark) => {
      const anchor =
        mark.at < END ? ("start" as const) : mark.at > width - END ? ("end" as const) : ("middle" as const);
      const long = mark.text.length * PIXELS_A_CHARACTER;
      const from = mark.at - (anchor === "start" ? 0 : anchor === "end" ? long : long / 2);
      const hasRoom = from + long + LEAST_ROOM <= free;
      if (hasRoom) free = from;
      return { ...mark, anchor, hasRoom };
    })
    .toReversed();
}
