"use client";

import type { CSSProperties, ReactNode } from "react";

/** A slider in ink: amber, blue and magenta mean Here, Yonder and the difference. */
export const INK_SLIDER: CSSProperties = { accentColor: "var(--color-base-content)" };

/** A named slider in a row, what it stands at beside it. */
export function Slider(props: {
  label: string;
  /** What is written before it; the label is for who does not see the row. */
  title?: string;
  min: number;
  max: number;
  step: number;
  value: number;
  shown: string;
  onChange: (value: number) => void;
  onReset?: () => void;
}) {
  const { label, title, min, max, step, value, shown, onChange, onReset } = props;
  return (
    <label className="flex items-center gap-2">
      {title && <span className="text-soft">{title}</span>}
      <input
        type="range"
        min={min}
        max={max}
        step={step}
        value={value}
        aria-label={label}
        aria-valuetext={shown}
        className="w-28"
        style={INK_SLIDER}
        onChange={(event) => onChange(Number(event.target.value))}
        onDoubleClick={onReset}
      />
      <span className="figure whitespace-nowrap">{shown}</span>
    </label>
  );
}

/** A small choice among many, its name before it. */
export function QuickSelect<Value extends string | number>(props: {
  label: string;
  title?: ReactNode;
  options: readonly { value: Value; title: string }[];
  value: Value;
  isOff?: boolean;
  onChange: (value: Value) => void;
}) {
  const { label, title, options, value, isOff = false, onChange } = props;
  return (
    <label className="flex items-center gap-1.5 whitespace-nowrap">
      {title && <span className="text-soft">{title}</span>}
      <select
        aria-label={label}
        className="select select-xs h-7 w-auto max-w-44 border-rule bg-base-100"
        value={value}
        disabled={isOff}
        onChange={(event) => {
          const chosen = options.find((o) => String(o.value) === event.target.value);
          if (chosen) onChange(chosen.value);
        }}
      >
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.title}
          </option>
        ))}
      </select>
    </label>
  );
}
