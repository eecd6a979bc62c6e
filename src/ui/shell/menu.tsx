"use client";

import { Ellipsis } from "lucide-react";

export type MenuItem = { title: string; act: () => void };

/** A small menu behind three dots; it closes when something is chosen or the focus leaves it. */
export function Menu({ label, items, width = "w-44" }: { label: string; items: readonly MenuItem[]; width?: string }) {
  return (
    <details
      className="dropdown dropdown-end shrink-0"
      onBlur={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget)) event.currentTarget.open = false;
      }}
    >
      <summary
        className="grid size-6 cursor-pointer list-none place-content-center rounded text-soft hover:bg-base-content/5"
        aria-label={label}
        title={label}
      >
        <Ellipsis size={14} aria-hidden="true" />
      </summary>
      <ul
        className={`menu dropdown-content z-30 rounded-lg border border-rule bg-base-100 p-1 text-[13px] shadow-none ${width}`}
      >
        {items.map(({ title, act }) => (
          <li key={title}>
            <button
              type="button"
              onClick={(event) => {
                event.currentTarget.closest("details")?.removeAttribute("open");
                act();
              }}
            >
              {title}
            </button>
          </li>
        ))}
      </ul>
    </details>
  );
}
