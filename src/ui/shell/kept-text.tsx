"use client";

import { useEffect, useRef, useState } from "react";

const KEEP_AFTER_MS = 400;

type Props = {
  id?: string;
  label: string;
  initial: string;
  onKeep: (text: string) => Promise<void>;
  rows?: number;
  className: string;
};

/** A text that is kept as it is written, and at once when it is left, whichever way. */
export function KeptText({ id, label, initial, onKeep, rows, className }: Props) {
  const [text, setText] = useState(initial);
  const [state, setState] = useState<"kept" | "writing">("kept");
  const latest = useRef({ text, state, onKeep });
  latest.current = { text, state, onKeep };
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is kept is the latest text; it alone begins the wait anew
  useEffect(() => {
    if (state === "kept") return;
    const timer = setTimeout(keep, KEEP_AFTER_MS);
    return () => clearTimeout(timer);
  }, [text, state]);
  useEffect(
    () => () => {
      const { text: written, state: stands, onKeep: keepIt } = latest.current;
      if (stands === "writing") void keepIt(written);
    },
    [],
  );
  function keep(): void {
    const { text: written, state: stands, onKeep: keepIt } = latest.current;
    if (stands === "kept") return;
    void keepIt(written).then(() => latest.current.text === written && setState("kept"));
  }
  return (
    <label className="grid gap-0.5">
      <span className="flex justify-between text-[12px] text-soft">
        {label}
        <span role="status">{text && (state === "kept" ? "kept" : "…")}</span>
      </span>
      <textarea
        id={id}
        rows={rows}
        className={`textarea w-full border-rule ${className}`}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setState("writing");
        }}
        onBlur={keep}
      />
    </label>
  );
}
