"use client";

import { setDry } from "@/store/comparisons";
import type { Render } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { useWorkbench } from "@/ui/shell/workbench";
import { ExportButton } from "./export-dialog";

type Props = {
  chosen: Render | null;
  set: (side: "here" | "yonder") => void;
  onOpen: () => void;
  onRemove: () => void;
};

/** What can be done with the chosen render; before one is chosen, the keys that will do it. */
export function ChosenActions({ chosen, set, onOpen, onRemove }: Props) {
  const { passages, titleOf } = useWorkbench();
  const passage = passages.find((p) => p.id === chosen?.passageId);
  if (!chosen || !passage) {
    return <p className="text-[13px] text-soft">Choose a render to make it Here or Yonder; arrow keys move.</p>;
  }
  const removable = passage.dryRenderId !== chosen.id;
  return (
    <div className="flex min-w-0 items-center gap-1.5 text-[13px]">
      <span className="mr-1.5 min-w-0 truncate" title={`${chosen.fileName}, ${chosen.encoding}`}>
        {titleOf(chosen)}, {passage.title}{" "}
        <span className="text-soft">
          ({chosen.fileName}, {chosen.encoding})
        </span>
      </span>
      <button type="button" className="btn btn-xs border-2 border-here bg-transparent" onClick={() => set("here")}>
        {LABELS.here} <kbd className="kbd kbd-xs">H</kbd>
      </button>
      <button
        type="button"
        className="btn btn-xs border-2 border-yonder border-dashed bg-transparent"
        onClick={() => set("yonder")}
      >
        {LABELS.yonder} <kbd className="kbd kbd-xs">Y</kbd>
      </button>
      <button type="button" className="btn btn-xs border-rule bg-transparent" onClick={onOpen}>
        Settings <kbd className="kbd kbd-xs">E</kbd>
      </button>
      <ExportButton renders={[chosen]} className="btn btn-xs border-rule bg-transparent" />
      {removable && (
        <>
          <button
            type="button"
            className="btn btn-xs border-rule bg-transparent"
            onClick={() => void setDry(passage, chosen.id)}
          >
            {LABELS.makeItDry}
          </button>
          <button
            type="button"
            className="btn btn-xs border-rule bg-transparent"
            title={`Remove ${chosen.fileName} from this comparison; your own file is not touched`}
            onClick={onRemove}
          >
            Delete <kbd className="kbd kbd-xs">Del</kbd>
          </button>
        </>
      )}
    </div>
  );
}
