"use client";

import dynamic from "next/dynamic";
import { create } from "zustand";
import { LABELS } from "@/ui/labels";

const GuideDialog = dynamic(() => import("./guide-dialog"), { ssr: false });

type Opened = { isOpen: boolean; page: string | null; section: string | null };
const useGuide = create<Opened>(() => ({ isOpen: false, page: null, section: null }));

/** Opens the guide, at one of its pages and one of its headings where they are named, over whatever is on screen; playback goes on. */
export const openGuide = (page: string | null = null, section: string | null = null): void =>
  useGuide.setState({ isOpen: true, page, section });

/** Where the guide stands when it is open; loaded with its text at the first opening. */
export function GuideHost() {
  const { isOpen, page, section } = useGuide();
  return isOpen ? (
    <GuideDialog page={page} section={section} onClose={() => useGuide.setState({ isOpen: false })} />
  ) : null;
}

export function GuideButton({ className = "btn btn-sm border-rule" }: { className?: string }) {
  return (
    <button type="button" className={className} onClick={() => openGuide()}>
      {LABELS.guide}
    </button>
  );
}
