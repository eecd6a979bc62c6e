"use client";

/** The views of a stop, one at a time: tabs on a line. */
export function ViewTabs<Value extends string>({
  views,
  shown,
  onShown,
}: {
  views: readonly { value: Value; title: string }[];
  shown: Value;
  onShown: (value: Value) => void;
}) {
  return (
    <div role="tablist" aria-label="Views" className="flex flex-1 gap-5 max-[1180px]:gap-3.5">
      {views.map(({ value, title }) => (
        <button
          key={value}
          type="button"
          role="tab"
          aria-selected={shown === value}
          className={`-mb-px whitespace-nowrap border-b-2 pb-1.5 text-[13px] ${shown === value ? "border-base-content font-semibold" : "border-transparent text-soft"}`}
          onClick={() => onShown(value)}
        >
          {title}
        </button>
      ))}
    </div>
  );
}
