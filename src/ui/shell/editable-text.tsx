"use client";

import { type ChangeEvent, type KeyboardEvent, useEffect, useState } from "react";

type Props = {
  label: string;
  value: string;
  onChange: (value: string) => void;
  className?: string;
  placeholder?: string;
  /** May be left empty. */
  optional?: boolean;
  /** A long text takes two lines, rather than being cut. */
  twoLines?: boolean;
};

/** Text that is edited where it stands: Enter or leaving keeps it, Escape puts it back. */
export function EditableText({ label, value, onChange, className, placeholder, optional, twoLines }: Props) {
  const [draft, setDraft] = useState(value);
  useEffect(() => setDraft(value), [value]);
  const keep = () => {
    const text = draft.trim();
    if (text === value) return;
    if (text || optional) onChange(text);
    else setDraft(value);
  };
  const shared = {
    "aria-label": label,
    value: draft,
    title: draft,
    placeholder,
    onChange: (event: ChangeEvent<HTMLInputElement | HTMLTextAreaElement>) => setDraft(event.target.value),
    onBlur: keep,
    onKeyDown: (event: KeyboardEvent<HTMLElement>) => {
      if (event.key === "Enter") event.currentTarget.blur();
      if (event.key === "Escape") setDraft(value);
    },
  };
  const look = `-mx-1 block min-h-6 rounded bg-transparent px-1 hover:bg-base-content/5 ${className ?? ""} ${className?.includes("field-sizing") ? "" : "w-full"}`;
  return twoLines ? (
    <textarea rows={2} className={`${look} h-[2.5rem] resize-none overflow-hidden leading-5`} {...shared} />
  ) : (
    <input className={`${look} truncate leading-none`} {...shared} />
  );
}
