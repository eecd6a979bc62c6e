import { create } from "zustand";
import type { Strip } from "@/ui/charts/mirrored-waveform";

/** What a stop has drawn along the foot of the transport's waveform; it takes it away when it is left. */
export const useStrip = create<{ strip: Strip | null }>(() => ({ strip: null }));

export const setStrip = (strip: Strip | null) => useStrip.setState({ strip });
