/** LU or dB at which the bar is full. */
const FULL = 12;

/** How much a render was favoured by before matching: to the right where it was louder, to the left where quieter. */
export function LevelOffsetBar({ levelOffset, full = FULL }: { levelOffset: number | null; full?: number }) {
  if (levelOffset === null) return null;
  const width = `${(Math.min(full, Math.abs(levelOffset)) / full) * 50}%`;
  return (
    <div className="relative h-2" aria-hidden="true">
      <span className="absolute inset-y-0 left-1/2 border-soft border-l" />
      <span
        className="absolute inset-y-0 bg-soft/60"
        style={levelOffset < 0 ? { right: "50%", width } : { left: "50%", width }}
      />
    </div>
  );
}
