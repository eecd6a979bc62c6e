import type { ReactNode } from "react";

/** A view: what is chosen in a row on top, its sentence beside it, and the picture beneath, which takes the room. */
export function View({
  choices,
  sentence,
  testId,
  children,
}: {
  choices: ReactNode;
  sentence?: string;
  testId?: string;
  children: ReactNode;
}) {
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5 text-[12px]">
        {choices}
        {sentence && (
          <span className="min-w-0 flex-1 text-[13px] text-soft" data-testid={testId}>
            {sentence}
          </span>
        )}
      </div>
      {children}
    </div>
  );
}
