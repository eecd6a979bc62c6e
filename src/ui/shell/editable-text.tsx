"use client";

import { useEffect, useState } from "react";

type Props = {
  label: string;
  value: string;
  onChange: (value: string) => void;
  className?: string;
  placeholder?: string;
  /** May be left empty. */
  optional?: boolean;
};

/** Text that is edited where it stands: Enter or leaving keeps it, Escape puts it back. */
export function EditableText({ label, value, onChange, className, placeholder, optional }: Props) {
  const [draft, setDraft] = useState(value);
  useEffect(() => setDraft(value), [value]);
  const keep = () => {
    const text = draft.trim();
    if (text === value) return;
    if (text || optional) onChange(text);
    else setDraft(value);
  };
  return (
    <input
      aria-label={label}
      className={`-mx-1 block min-h-6 truncate leading-none rounded bg-transparent px-1 hover:bg-base-content/5 ${className ?? ""} ${className?.includes("field-sizing") ? "" : "w-full"}`}
      value={draft}
      title={draft}
      placeholder={placeholder}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setDraft(value);
      }}
    />
  );
}
