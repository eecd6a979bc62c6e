import type { ReactNode } from "react";

/** A stop's name and, beside it, what matters there in one plain sentence; actions to the right. */
export function StopHeading({ title, children, actions }: { title: string; children: ReactNode; actions?: ReactNode }) {
  return (
    <div className="flex min-h-8 shrink-0 flex-wrap items-center gap-x-3 gap-y-1">
      <h1 className="font-semibold text-[22px]">{title}</h1>
      <p className="min-w-0 flex-1 basis-48 pt-1 text-soft">{children}</p>
      {actions}
    </div>
  );
}
