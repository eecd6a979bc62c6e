"use client";

import { TriangleAlert } from "lucide-react";
import { type KeyboardEvent, useRef, useState } from "react";
import { type CellFacts, cellOf, findingOf, type OpenBook } from "@/core/findings/book";
import { type Contradiction, contradictionsAt } from "@/core/findings/contradictions";
import { evidenceFor } from "@/core/findings/evidence";
import { IDENTICAL_WORDS } from "@/core/words/identity";
import { MISSING } from "@/core/words/missing";
import { NO_FIGURE, number, signed, withUnit } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { Figure } from "@/ui/shell/figure";
import { VerdictMark } from "./verdict-mark";

/** What is looked at: a candidate on a passage, or overall where that is null. */
export type Place = { passageId: string | null; candidateId: string };

const HEAD_WIDTH = 104;
const COLUMN_WIDTH = 116;

/** Passages down, candidates across: her verdict, how it is known, and what the figures say. */
export function VerdictMatrix({
  book,
  contradictions,
  place,
  onPlace,
}: {
  book: OpenBook;
  contradictions: readonly Contradiction[];
  place: Place | null;
  onPlace: (place: Place) => void;
}) {
  const table = useRef<HTMLTableElement>(null);
  const [focused, setFocused] = useState<[row: number, column: number]>([1, 0]);
  const columns = book.candidates.filter(({ id, hidden }) => !hidden && book.cells.some((c) => c.candidateId === id));
  const rows: (string | null)[] = [null, ...book.passages.map(({ id }) => id)];
  const onKeyDown = (event: KeyboardEvent) => {
    const moves: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
    };
    const move = moves[event.key];
    if (!move) return;
    event.preventDefault();
    const row = Math.max(0, Math.min(rows.length - 1, focused[0] + move[0]));
    const column = Math.max(0, Math.min(columns.length - 1, focused[1] + move[1]));
    setFocused([row, column]);
    table.current?.querySelector<HTMLElement>(`[data-cell="${row},${column}"]`)?.focus();
  };
  const cell = (row: number, column: number) => {
    const [passageId, { id: candidateId, title }] = [rows[row], columns[column]];
    const isCurrent = place?.passageId === passageId && place.candidateId === candidateId;
    return {
      role: "gridcell",
      "data-cell": `${row},${column}`,
      "aria-label": `${title}, ${passageId === null ? "overall" : book.passageTitleOf(passageId)}`,
      "aria-selected": isCurrent,
      tabIndex: focused[0] === row && focused[1] === column ? 0 : -1,
      onFocus: () => {
        setFocused([row, column]);
        onPlace({ passageId, candidateId });
      },
      className: `relative ${passageId === null ? "h-10" : "h-[74px]"} cursor-pointer border-faint border-l px-1.5 py-1 align-top focus-visible:z-10 ${isCurrent ? "bg-base-content/[0.07] outline-2 outline-base-content -outline-offset-2" : ""}`,
    };
  };
  return (
    <div className="min-h-0 overflow-auto rounded-lg border border-rule bg-base-100">
      <table
        ref={table}
        // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: cells reached by arrow keys make a grid (ARIA Authoring Practices)
        role="grid"
        aria-label={LABELS.verdicts}
        data-own-keys
        className="w-full table-fixed border-collapse text-left text-[11.5px] leading-[15px]"
        style={{ minWidth: HEAD_WIDTH + COLUMN_WIDTH * columns.length }}
        onKeyDown={onKeyDown}
      >
        <thead className="sticky top-0 z-10 bg-base-100">
          <tr className="border-rule border-b">
            <th scope="col" style={{ width: HEAD_WIDTH }} className="sticky left-0 bg-base-100 px-2 py-1.5">
              <span className="sr-only">{LABELS.passage}</span>
            </th>
            {columns.map(({ id, title }) => (
              <th
                key={id}
                scope="col"
                className="border-faint border-l px-1.5 py-1.5 align-bottom font-display font-semibold text-[12.5px]"
              >
                <span className="line-clamp-2" title={title}>
                  {title}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((passageId, row) => (
            <tr key={passageId ?? "whole"} className="border-faint border-b last:border-b-0">
              <th
                scope="row"
                className={`sticky left-0 z-[5] bg-base-100 px-2 py-1 align-top font-display text-[12.5px] ${passageId === null ? "font-normal text-soft" : "font-semibold"}`}
              >
                {passageId === null ? "Overall" : book.passageTitleOf(passageId)}
              </th>
              {columns.map(({ id }, column) => (
                <td key={id} {...cell(row, column)} data-verdict={findingOf(book, passageId, id)?.verdict ?? undefined}>
                  {passageId === null ? (
                    <WholeCell book={book} candidateId={id} />
                  ) : (
                    <CellWords book={book} passageId={passageId} candidateId={id} contradictions={contradictions} />
                  )}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** The edge as a figure, a dash where there is none, dots before it is known. */
export const levelOffsetText = (levelOffset: CellFacts["levelOffset"]): string =>
  levelOffset === undefined
    ? "…"
    : levelOffset === null
      ? NO_FIGURE
      : withUnit(signed(levelOffset.value), levelOffset.unit);

function WholeCell({ book, candidateId }: { book: OpenBook; candidateId: string }) {
  const finding = findingOf(book, null, candidateId);
  return (
    <>
      <VerdictMark verdict={finding?.verdict ?? null} />
      {finding?.price && <p className="figure truncate">{finding.price}</p>}
      {finding?.effort && <p className="truncate text-soft">{finding.effort}</p>}
    </>
  );
}

function CellWords({
  book,
  passageId,
  candidateId,
  contradictions,
}: {
  book: OpenBook;
  passageId: string;
  candidateId: string;
  contradictions: readonly Contradiction[];
}) {
  const facts = cellOf(book, passageId, candidateId);
  if (!facts) return <span className="text-soft">no render</span>;
  const [strongest] = evidenceFor(book, passageId, candidateId);
  const against = contradictionsAt(contradictions, passageId, candidateId);
  return (
    <>
      <div className="flex items-start gap-1">
        <VerdictMark verdict={findingOf(book, passageId, candidateId)?.verdict ?? null} />
        {against.length > 0 && (
          <TriangleAlert
            size={13}
            className="ml-auto shrink-0 text-warning"
            role="img"
            aria-label={`${against.length} ${against.length === 1 ? "contradiction" : "contradictions"}`}
          />
        )}
      </div>
      <p
        className={`line-clamp-2 ${strongest?.state === "shown" ? "font-medium" : "text-soft"}`}
        title={strongest && `${strongest.how}: ${strongest.says}, ${strongest.score}`}
      >
        {strongest?.says ?? "not heard"}
      </p>
      {facts.isDry ? (
        <p className="text-soft">dry</p>
      ) : (
        <>
          <p className="figure flex justify-between whitespace-nowrap text-[10.5px] text-soft">
            <span>
              <Figure
                text={levelOffsetText(facts.levelOffset)}
                why={facts.levelOffset === undefined ? MISSING.measuring : MISSING.noLevel}
              />
            </span>
            <span>
              <Figure
                text={
                  facts.identical && facts.identical !== "no"
                    ? IDENTICAL_WORDS[facts.identical]
                    : facts.nullDb === undefined
                      ? "…"
                      : withUnit(number(facts.nullDb), "dB")
                }
                why={facts.nullDb === undefined ? MISSING.measuring : MISSING.notAligned}
              />
            </span>
          </p>
          <p className="truncate text-soft" title={facts.dryDifference?.sentence}>
            {facts.dryDifference?.main}
          </p>
        </>
      )}
    </>
  );
}
