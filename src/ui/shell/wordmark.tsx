import Link from "next/link";
import { LABELS } from "@/ui/labels";

/** Two waves that meet at the horizon: one solid, one dashed. */
export function Wordmark() {
  return (
    <Link href="/?list" className="flex items-center gap-2.5" aria-label={LABELS.yonderPairAllComparisons}>
      <svg
        width="32"
        height="18"
        viewBox="0 0 32 18"
        fill="none"
        aria-hidden="true"
        strokeWidth="2.5"
        strokeLinecap="round"
      >
        <path d="M1.5 9 C5 1.5 9 1.5 12 6 S 15 10 17 10.5" stroke="var(--here)" />
        <path d="M15 8.5 C18 12 20 17 24 16 S 28.5 11 30.5 8" stroke="var(--yonder)" strokeDasharray="4.5 4" />
      </svg>
      <span className="max-[1100px]:sr-only font-display text-[18px] font-semibold whitespace-nowrap">Yonder Pair</span>
    </Link>
  );
}
