import { Check, CircleDot, X } from "lucide-react";
import type { Verdict } from "@/core/archive/rows";

const MARKS = {
  "first choice": { icon: Check, tone: "text-success" },
  "would do": { icon: CircleDot, tone: "" },
  "not this": { icon: X, tone: "text-error" },
} as const;

/** A verdict as word and sign; a dash where none was given. */
export function VerdictMark({ verdict }: { verdict: Verdict | null }) {
  if (!verdict) return <span className="sr-only">no verdict</span>;
  const { icon: Icon, tone } = MARKS[verdict];
  return (
    <span className={`inline-flex items-center gap-1 whitespace-nowrap font-semibold ${tone}`}>
      <Icon size={12} aria-hidden="true" /> {verdict}
    </span>
  );
}
