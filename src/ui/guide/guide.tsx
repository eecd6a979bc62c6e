"use client";

import dynamic from "next/dynamic";
import { create } from "zustand";

const GuideDialog = dynamic(() => import("./guide-dialog"), { ssr: false });

const useGuide = create(() => ({ isOpen: false }));

/** Opens the guide over whatever is on screen; playback goes on. */
export const openGuide = (): void => useGuide.setState({ isOpen: true });

/** Where the guide stands when it is open; loaded with its text at the first opening. */
export function GuideHost() {
  const isOpen = useGuide((guide) => guide.isOpen);
  return isOpen ? <GuideDialog onClose={() => useGuide.setState({ isOpen: false })} /> : null;
}

export function GuideButton({ className = "btn btn-sm border-rule" }: { className?: string }) {
  return (
    <button type="button" className={className} onClick={openGuide}>
      Guide
    </button>
  );
}
