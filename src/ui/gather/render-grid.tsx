"use client";

import {
  type Announcements,
  type CollisionDetection,
  closestCenter,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  PointerSensor,
  type UniqueIdentifier,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import {
  arrayMove,
  horizontalListSortingStrategy,
  SortableContext,
  sortableKeyboardCoordinates,
  verticalListSortingStrategy,
} from "@dnd-kit/sortable";
import { type KeyboardEvent, useCallback, useMemo, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { gridTotals } from "@/core/matching/totals";
import { plural } from "@/core/words/units";
import { reorder, setSide, showPassage } from "@/store/comparisons";
import type { Candidate, Passage, Render } from "@/store/records";
import { removeRenders } from "@/store/removing";
import { peakOf } from "@/ui/charts/mini-waveform";
import { LABELS } from "@/ui/labels";
import { keyOptions } from "@/ui/shell/shortcuts";
import { offerUndo } from "@/ui/shell/undo";
import { useWorkbench } from "@/ui/shell/workbench";
import { CandidateHead } from "./candidate-head";
import { CandidatePanel } from "./candidate-panel";
import { ChosenActions } from "./chosen-actions";
import { PassageRow } from "./passage-head";
import { RenderCell } from "./render-cell";
import { useKeptBytes } from "./use-kept-bytes";

/** Columns are only dropped among columns, rows among rows. */
const amongTheirOwn: CollisionDetection = (given) => {
  const kind = String(given.active.id).split(" ")[0];
  const droppableContainers = given.droppableContainers.filter((c) => String(c.id).startsWith(kind));
  return closestCenter({ ...given, droppableContainers });
};

/** Pixels of the passages' column, and the least a candidate's gets before the grid scrolls sideways. */
const HEAD_WIDTH = 160;
const COLUMN_WIDTH = 120;

const STEPS: Record<string, [rows: number, columns: number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};

/** Which render stands where: the dry one in the first column, whatever candidate it came as. */
function useGridPlaces(passages: Passage[], candidates: Candidate[], renders: Render[]) {
  return useMemo(() => {
    const dryIds = new Set(passages.map((p) => p.dryRenderId));
    const columns = candidates.filter(
      (c) => !c.hidden && renders.some((r) => r.candidateId === c.id && !dryIds.has(r.id)),
    );
    const rows = passages.map((passage) => {
      const own = renders.filter((r) => r.passageId === passage.id);
      const dry = own.find((r) => r.id === passage.dryRenderId);
      const others = columns.map((c) => own.find((r) => r.candidateId === c.id && r.id !== passage.dryRenderId));
      return { passage, cells: [dry, ...others] };
    });
    // Silence is drawn as a line, at whatever height.
    const peaks = rows.map(({ cells }) => Math.max(0, ...cells.map((r) => (r ? peakOf(r.overview) : 0))) || 1);
    return { columns, rows, peaks, totals: gridTotals(passages, renders) };
  }, [passages, candidates, renders]);
}

/** Passages down, candidates across, the dry render first, a render in each cell. */
export function RenderGrid() {
  const { passages, candidates, renders, comparison, pair, titleOf } = useWorkbench();
  const kept = useKeptBytes();
  const table = useRef<HTMLTableElement>(null);
  const [focused, setFocused] = useState<[row: number, column: number]>([0, 0]);
  const [touched, setTouched] = useState(false);
  const [openId, setOpenId] = useState<string | null>(null);
  const { columns, rows, peaks, totals } = useGridPlaces(passages, candidates, renders);
  const chosen = touched ? rows[focused[0]]?.cells[focused[1]] : undefined;

  const set = (side: "here" | "yonder") => {
    const passage = passages.find((p) => p.id === chosen?.passageId);
    if (!chosen || !passage) return;
    void setSide(passage, side, chosen.id);
    void showPassage(comparison.id, passage.id);
  };
  const remove = async (doomed: Render[], name: string) => {
    const removed = await removeRenders(doomed);
    offerUndo(`Deleted ${name}: ${plural(removed.renders.length, "render")}.`, removed);
  };
  const removeChosen = () => {
    if (chosen) void remove([chosen], titleOf(chosen));
  };
  useHotkeys("h", () => set("here"), keyOptions("h"));
  useHotkeys("y", () => set("yonder"), keyOptions("y"));
  useHotkeys("delete", removeChosen);
  useHotkeys("e", () => chosen && setOpenId(chosen.candidateId), { ...keyOptions("e"), preventDefault: true });

  const onFocus = useCallback((row: number, column: number) => {
    setFocused([row, column]);
    setTouched(true);
  }, []);
  const onKeyDown = (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    const cell = event.target instanceof HTMLElement ? event.target.closest("[data-cell]") : null;
    if (!step || !cell || event.ctrlKey || event.shiftKey || event.altKey) return;
    // Taken here, so that the arrows do not switch what is heard as well.
    event.preventDefault();
    const [row, column] = focused;
    const next = [
      Math.max(0, Math.min(rows.length - 1, row + step[0])),
      Math.max(0, Math.min(columns.length, column + step[1])),
    ];
    table.current?.querySelector<HTMLElement>(`[data-cell="${next.join()}"]`)?.focus();
  };

  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    if (!over || active.id === over.id) return;
    const [kind, id] = String(active.id).split(" ");
    const overId = String(over.id).split(" ")[1];
    const ids = (kind === "candidate" ? candidates : passages).map((item) => item.id);
    const moved = arrayMove(ids, ids.indexOf(id), ids.indexOf(overId));
    void reorder(kind === "candidate" ? "candidates" : "passages", moved);
  };

  const nameOf = (id: UniqueIdentifier) => {
    const plain = String(id).split(" ")[1];
    return candidates.find((c) => c.id === plain)?.title ?? passages.find((p) => p.id === plain)?.title ?? "";
  };
  const announcements: Announcements = {
    onDragStart: ({ active }) => `${nameOf(active.id)} is being moved.`,
    onDragOver: ({ active, over }) => (over ? `${nameOf(active.id)} is over ${nameOf(over.id)}.` : undefined),
    onDragEnd: ({ active, over }) =>
      over
        ? `${nameOf(active.id)} was moved to the place of ${nameOf(over.id)}.`
        : `${nameOf(active.id)} stays where it was.`,
    onDragCancel: ({ active }) => `${nameOf(active.id)} stays where it was.`,
  };

  const sideOf = (render: Render | undefined) => {
    if (!render || pair?.passage.id !== render.passageId) return null;
    if (pair.passage.hereRenderId === render.id) return "here";
    return pair.passage.yonderRenderId === render.id ? "yonder" : null;
  };
  const open = candidates.find((c) => c.id === openId);

  return (
    <>
      <DndContext
        id="grid"
        accessibility={{ announcements }}
        sensors={sensors}
        collisionDetection={amongTheirOwn}
        onDragEnd={onDragEnd}
      >
        <div className="min-h-0 overflow-auto rounded-lg border border-rule bg-base-100">
          <table
            ref={table}
            // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: cells reached by arrow keys make a grid (ARIA Authoring Practices)
            role="grid"
            aria-label="Renders"
            className="w-full table-fixed border-collapse text-left"
            style={{ minWidth: HEAD_WIDTH + COLUMN_WIDTH * (columns.length + 1) }}
            onKeyDown={onKeyDown}
          >
            <thead className="sticky top-0 z-20 bg-base-100">
              <tr className="border-rule border-b">
                <th
                  scope="col"
                  style={{ width: HEAD_WIDTH }}
                  className="sticky left-0 z-10 bg-base-100 px-3 pt-6 align-top font-display font-semibold text-[13px] leading-6"
                >
                  {LABELS.passage}
                </th>
                <th scope="col" className="border-faint border-l px-2 pt-6 align-top">
                  <div className="h-[2.5rem] font-display font-semibold text-[13px] leading-5">{LABELS.dry}</div>
                  <div className="font-normal text-[11.5px] text-soft leading-5">unprocessed</div>
                </th>
                <SortableContext
                  items={columns.map((c) => `candidate ${c.id}`)}
                  strategy={horizontalListSortingStrategy}
                >
                  {columns.map((candidate) => (
                    <CandidateHead
                      key={candidate.id}
                      candidate={candidate}
                      totals={totals.candidates.get(candidate.id)}
                      mostFavoured={totals.mostFavouredId === candidate.id}
                      highestPeak={totals.highestPeakId === candidate.id}
                      onOpen={() => setOpenId(candidate.id)}
                      onRemove={() =>
                        void remove(
                          renders.filter((r) => r.candidateId === candidate.id),
                          candidate.title,
                        )
                      }
                    />
                  ))}
                </SortableContext>
              </tr>
            </thead>
            <tbody>
              <SortableContext
                items={rows.map((r) => `passage ${r.passage.id}`)}
                strategy={verticalListSortingStrategy}
              >
                {rows.map(({ passage, cells }, row) => {
                  const own = totals.passages.get(passage.id);
                  const loudest = renders.find((r) => r.id === own?.loudestId);
                  return (
                    <PassageRow
                      key={passage.id}
                      passage={passage}
                      dry={cells[0]}
                      loudest={loudest ? { title: titleOf(loudest), edgeLu: own?.loudestLevelOffsetLu ?? null } : null}
                    >
                      {cells.map((render, column) => (
                        <RenderCell
                          key={column === 0 ? "dry" : columns[column - 1].id}
                          row={row}
                          column={column}
                          label={`${passage.title}, ${column === 0 ? "Dry" : columns[column - 1].title}`}
                          render={render}
                          side={sideOf(render)}
                          current={focused[0] === row && focused[1] === column}
                          dry={cells[0]}
                          loudest={render !== undefined && render.id === own?.loudestId}
                          highestPeak={render !== undefined && render.id === own?.highestPeakId}
                          rowPeak={peaks[row]}
                          onFocus={onFocus}
                        />
                      ))}
                    </PassageRow>
                  );
                })}
              </SortableContext>
            </tbody>
          </table>
        </div>
      </DndContext>
      <div className="flex items-center justify-between gap-4">
        <ChosenActions
          chosen={chosen ?? null}
          set={set}
          onOpen={() => chosen && setOpenId(chosen.candidateId)}
          onRemove={removeChosen}
        />
        <span className="figure shrink-0 text-[12px] text-soft">{kept}</span>
      </div>
      {open && <CandidatePanel key={open.id} candidate={open} onClose={() => setOpenId(null)} />}
    </>
  );
}
