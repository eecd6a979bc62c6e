import type { ReactNode } from "react";
import type { FigureKey } from "@/core/words/figures";
import { withUnit } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Choice } from "@/ui/shell/transport";
import { WhatIsMark } from "@/ui/shell/what-is";

/** A view: which of its pictures is shown and what else is chosen in a row on top, its sentence beside it, and the picture beneath, which takes the room. */
export function View<Shown extends string>({
  shown,
  onShown,
  options,
  figure,
  choices,
  sentence,
  testId,
  children,
}: {
  shown: Shown;
  onShown: (shown: Shown) => void;
  /** Its pictures, each with the figure that it shows. */
  options: readonly { value: Shown; title: string; hint?: string; figure: FigureKey }[];
  /** The figure that is shown, where a choice within the picture decides it. */
  figure?: FigureKey;
  choices?: ReactNode;
  sentence?: string;
  testId?: string;
  children: ReactNode;
}) {
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5 text-[12px]">
        <Choice label={LABELS.shown} value={shown} onChange={onShown} options={options} />
        <WhatIsMark figure={figure ?? options.find(({ value }) => value === shown)?.figure ?? options[0].figure} />
        {choices}
        {sentence && (
          <span className="min-w-0 flex-1 text-[13px] text-soft" data-testid={testId}>
            {sentence}
          </span>
        )}
      </div>
      {children}
    </div>
  );
}

/** What a view says where its picture is not there: what is being done, what went wrong, or what is missing. */
export function Instead({ children }: { children: ReactNode }) {
  return (
    <p className="text-[13px] text-soft" role="status">
      {children}
    </p>
  );
}

/** Over how long what is read over time is read. */
export function ReadOver({
  seconds,
  times,
  onChange,
}: {
  seconds: number;
  times: readonly number[];
  onChange: (seconds: number) => void;
}) {
  return (
    <QuickSelect
      label="Read over"
      title="over"
      value={seconds}
      onChange={onChange}
      options={times.map((value) => ({
        value,
        title: value < 1 ? withUnit(String(1000 * value), "ms") : withUnit(String(value), "s"),
      }))}
    />
  );
}
