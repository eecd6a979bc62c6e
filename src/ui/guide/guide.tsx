"use client";

import dynamic from "next/dynamic";
import { create } from "zustand";

const GuideDialog = dynamic(() => import("./guide-dialog"), { ssr: false });

const useGuide = create<{ isOpen: boolean; page: string | null }>(() => ({ isOpen: false, page: null }));

/** Opens the guide, at one of its pages where that is named, over whatever is on screen; playback goes on. */
export const openGuide = (page: string | null = null): void => useGuide.setState({ isOpen: true, page });

/** Where the guide stands when it is open; loaded with its text at the first opening. */
export function GuideHost() {
  const { isOpen, page } = useGuide();
  return isOpen ? <GuideDialog page={page} onClose={() => useGuide.setState({ isOpen: false })} /> : null;
}

export function GuideButton({ className = "btn btn-sm border-rule" }: { className?: string }) {
  return (
    <button type="button" className={className} onClick={() => openGuide()}>
      Guide
    </button>
  );
}
