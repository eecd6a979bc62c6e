import { NO_FIGURE } from "@/core/words/units";

/** A figure as text; where it is missing, its dash or dots say why on hover and to a screen reader. */
export function Figure({ text, why }: { text: string; why: string }) {
  if (text !== NO_FIGURE && text !== "…") return <>{text}</>;
  return (
    <span title={why}>
      <span aria-hidden="true">{text}</span>
      <span className="sr-only">{why}</span>
    </span>
  );
}
