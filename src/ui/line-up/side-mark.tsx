/** A short bar in the colour of the side a render stands on; nothing where it stands on none. */
export function SideMark({ side }: { side: "here" | "yonder" | null }) {
  if (!side) return null;
  const name = side === "here" ? "Here" : "Yonder";
  return (
    <span
      role="img"
      className={`h-4 w-1 shrink-0 rounded-full ${side === "here" ? "bg-here" : "bg-yonder"}`}
      aria-label={name}
      title={name}
    />
  );
}
