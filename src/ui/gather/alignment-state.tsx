import type { Alignment } from "@/core/alignment/alignment";
import { alignmentWords } from "@/core/words/alignment";

const TONES = { good: "text-success", care: "text-warning", wrong: "text-error", none: "text-soft" } as const;

export function AlignmentState({ alignment, short }: { alignment: Alignment | undefined; short?: boolean }) {
  const { words, short: few, tone } = alignmentWords(alignment);
  return (
    <span className={`flex min-w-0 items-center gap-1.5 text-[12px] ${TONES[tone]}`} title={words}>
      <span className="size-1.5 shrink-0 rounded-full bg-current" aria-hidden="true" />
      <span className="truncate">{short ? few : words}</span>
    </span>
  );
}
