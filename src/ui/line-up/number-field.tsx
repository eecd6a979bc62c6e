"use client";

import { useEffect, useState } from "react";

type Props = {
  label: string;
  value: number;
  decimals: number;
  least: number;
  most: number;
  onChange: (value: number) => void;
  disabled?: boolean;
  className?: string;
};

/** A figure to type; taken when it is left or Enter is pressed, put back by Escape or when it is none. */
export function NumberField({ label, value, decimals, least, most, onChange, disabled, className = "w-24" }: Props) {
  const shown = String(Number(value.toFixed(decimals)));
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const take = () => {
    const figure = Number(text.replace("−", "-").replace(",", "."));
    if (text.trim() === "" || !Number.isFinite(figure) || figure < least || figure > most) setText(shown);
    else if (text !== shown) onChange(figure);
  };
  return (
    <input
      aria-label={label}
      title={`${label}, ${least} to ${most}`}
      inputMode="decimal"
      disabled={disabled}
      className={`input input-xs figure h-7 border-rule text-right ${className}`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === "Enter") take();
        if (event.key === "Escape") setText(shown);
      }}
    />
  );
}
