import type { Rank } from "@/workers/jobs";

/** What the page shows: the pair, and the passage around it. */
const sight = { renderIds: new Set<string>(), passageId: "" };

export function look(passageId: string, renderIds: readonly string[]): void {
  sight.passageId = passageId;
  sight.renderIds = new Set(renderIds);
}

/** How urgent work on a render is, asked when it is about to begin: the pair first, then its passage, then the rest. */
export const rankOf =
  ({ id, passageId }: { id: string; passageId: string }) =>
  (): Rank =>
    sight.renderIds.has(id) ? "urgent" : passageId === sight.passageId ? "normal" : "background";
