import { type CSSProperties, memo } from "react";
import { dbFromAmplitude } from "@/core/audio/decibels";
import { LEVELS_VERSION } from "@/core/loudness/measure";
import { decibels } from "@/core/words/units";
import type { Render } from "@/store/records";
import { MiniWaveform } from "@/ui/charts/mini-waveform";
import { useAlignment } from "@/ui/shell/use-results";
import { AlignmentState } from "./alignment-state";

type Props = {
  row: number;
  column: number;
  /** Spoken name: passage and candidate. */
  label: string;
  render: Render | undefined;
  side: "here" | "yonder" | null;
  /** The one cell the Tab key comes to. */
  current: boolean;
  /** The passage's dry render, which this one is lined up with. */
  dry: Render | undefined;
  loudest: boolean;
  highestPeak: boolean;
  /** The highest peak of the row, re full scale: what fills the height of its waveforms. */
  rowPeak: number;
  onFocus: (row: number, column: number) => void;
};

const SIDE_COLOURS = { here: "var(--here)", yonder: "var(--yonder)" } as const;

function styleOf(side: Props["side"]): CSSProperties {
  if (!side) return {};
  const colour = SIDE_COLOURS[side];
  return {
    outline: `2px ${side === "yonder" ? "dashed" : "solid"} ${colour}`,
    outlineOffset: "-2px",
    background: `color-mix(in oklab, ${colour} 8%, transparent)`,
  };
}

/** Records are read anew at every write; a cell is drawn again only when what it shows has changed. */
function sameCell(a: Props, b: Props): boolean {
  const shown = ({ render, row, column, label, side, current, dry, loudest, highestPeak, rowPeak }: Props) => [
    render?.id,
    render?.audioHash,
    render?.levelsVersion,
    render?.hand,
    dry?.audioHash,
    row,
    column,
    label,
    side,
    current,
    loudest,
    highestPeak,
    rowPeak,
  ];
  const after = shown(b);
  return shown(a).every((value, i) => value === after[i]);
}

/** One render in the grid: waveform, loudness, true peak, alignment state. Its side is judged by frame, colour and word. */
export const RenderCell = memo(function RenderCell(props: Props) {
  const { row, column, label, render, side, current, dry, loudest, highestPeak, rowPeak, onFocus } = props;
  return (
    <td
      // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: a cell of a grid, reached by arrow keys
      role="gridcell"
      data-cell={`${row},${column}`}
      data-render={render?.fileName}
      data-side={side ?? undefined}
      aria-label={`${label}${render ? "" : ", empty"}${side ? `, ${side === "here" ? "Here" : "Yonder"}` : ""}`}
      aria-selected={current}
      tabIndex={current ? 0 : -1}
      onFocus={() => onFocus(row, column)}
      className={`relative h-[80px] [@media(min-height:1000px)]:h-[112px] cursor-pointer border-faint border-l px-2 py-1 align-top focus-visible:z-10 ${current ? "bg-base-content/[0.05]" : ""}`}
      style={styleOf(side)}
    >
      {render && (
        <>
          <div title={`Drawn re the row's highest peak, ${decibels(dbFromAmplitude(rowPeak), "dBFS")}`}>
            <MiniWaveform
              overview={render.overview}
              colour={side ? SIDE_COLOURS[side] : "var(--soft-ink)"}
              height="h-[26px] [@media(min-height:1000px)]:h-14"
              full={rowPeak}
            />
          </div>
          <div className="figure mt-0.5 flex flex-wrap justify-between gap-x-1 whitespace-nowrap text-[11px] text-soft leading-[14px]">
            {render.levelsVersion === LEVELS_VERSION ? (
              <>
                <span className={loudest ? "font-medium text-base-content" : ""}>
                  {decibels(render.levels.integratedLufs, "LUFS")}
                </span>
                <span className={highestPeak ? "font-medium text-base-content" : ""}>
                  {decibels(render.levels.truePeakDbtp, "dBTP")}
                </span>
              </>
            ) : (
              <span>Measuring…</span>
            )}
          </div>
          <CellState render={render} dry={dry} />
          {render.remarks.map((remark) => (
            <p key={remark} className="truncate text-[11px] text-warning" title={remark}>
              {remark}
            </p>
          ))}
        </>
      )}
    </td>
  );
}, sameCell);

/** How a render lies; asked for by each cell, so that one that comes in draws itself alone. */
function CellState({ render, dry }: { render: Render; dry: Render | undefined }) {
  return <AlignmentState alignment={useAlignment(render, dry)} short />;
}
