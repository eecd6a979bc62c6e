"use client";

import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { GripHorizontal, GripVertical } from "lucide-react";
import type { CSSProperties, ReactNode } from "react";

type Item = {
  setNodeRef: (node: HTMLElement | null) => void;
  style: CSSProperties;
  isDragging: boolean;
  /** What it is dragged by, with the pointer or by Space and arrows. */
  grip: ReactNode;
};

/** A column or row of the grid that can be put elsewhere; `id` is its kind and its record's id. */
export function useSortableItem(id: string, title: string, across: boolean): Item {
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({
    id,
  });
  const Icon = across ? GripHorizontal : GripVertical;
  const grip = (
    <button
      type="button"
      ref={setActivatorNodeRef}
      {...attributes}
      {...listeners}
      data-own-keys
      aria-label={`Move ${title}`}
      title="Drag to another place; by keyboard: Space, arrows, Space"
      className="mr-1 grid size-6 shrink-0 cursor-grab place-content-center text-soft"
    >
      <Icon size={13} aria-hidden="true" />
    </button>
  );
  return { setNodeRef, style: { transform: CSS.Translate.toString(transform), transition }, isDragging, grip };
}
