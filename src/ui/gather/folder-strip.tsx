"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { FolderSync } from "lucide-react";
import { useCallback, useEffect, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { plural } from "@/core/words/units";
import { database } from "@/store/database";
import {
  canConnect,
  connectFolder,
  disconnectFolder,
  type LookedThrough,
  lookThrough,
  mayRead,
  passOver,
} from "@/store/folder";
import type { Folder } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { stopKeyOptions } from "@/ui/shell/shortcuts";
import { useWorkbench } from "@/ui/shell/workbench";
import { useImport } from "./import-provider";

/** The folder is looked through again this often while the page is in sight. */
const LOOKED_EVERY_MS = 4000;

/** The way to a folder of renders; nothing where this browser cannot be given one: files are added by hand there. */
export function FolderButton({ className }: { className: string }) {
  const { comparison } = useWorkbench();
  const folder = useLiveQuery(() => database.folders.get(comparison.id), [comparison.id]);
  const [isAble, setAble] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => setAble(canConnect()), []);
  const isOffered = isAble && !folder;
  const connect = () =>
    connectFolder(comparison.id).then(
      () => setProblem(null),
      (error: unknown) =>
        setProblem(`No folder was connected: ${error instanceof Error ? error.message : String(error)}`),
    );
  useHotkeys("f", () => isOffered && void connect(), stopKeyOptions("f"));
  if (!isOffered) return null;
  return (
    <>
      {problem && (
        <span role="alert" className="text-[13px] text-error">
          {problem}
        </span>
      )}
      <button
        type="button"
        className={className}
        title="Connect a folder of renders: new and changed files are offered here"
        onClick={() => void connect()}
      >
        <FolderSync size={15} aria-hidden="true" /> {LABELS.connectAFolder} <kbd className="kbd kbd-xs">F</kbd>
      </button>
    </>
  );
}

/** What is new in the comparison's folder, to be looked at or passed over. */
export function FolderStrip() {
  const { comparison } = useWorkbench();
  const folder = useLiveQuery(() => database.folders.get(comparison.id), [comparison.id]);
  return folder ? <Strip key={folder.name} folder={folder} /> : null;
}

type State =
  | { is: "asking" }
  | { is: "looking" }
  | { is: "looked"; found: LookedThrough }
  | { is: "problem"; words: string };

function Strip({ folder }: { folder: Folder }) {
  const { addFiles } = useImport();
  const [state, setState] = useState<State>({ is: "looking" });
  const look = useCallback(
    async (isAsked: boolean) => {
      try {
        if (await mayRead(folder, isAsked)) setState({ is: "looked", found: await lookThrough(folder) });
        else setState({ is: "asking" });
      } catch (error) {
        const words =
          error instanceof RangeError ? error.message : `${folder.name} is no longer readable. Connect it again.`;
        setState({ is: "problem", words });
      }
    },
    [folder],
  );
  useEffect(() => {
    void look(false);
    const timer = setInterval(() => {
      // A dialog that is open may have these very files in it.
      if (document.visibilityState === "visible" && !document.querySelector("dialog[open]")) void look(false);
    }, LOOKED_EVERY_MS);
    return () => clearInterval(timer);
  }, [look]);
  const take = ({ appeared, changed, gone, files }: LookedThrough) => {
    const others = [...appeared, ...changed];
    const byFile = new Map(
      others.flatMap((listed) => {
        const file = files.get(listed.path);
        return file ? [[file, listed] as const] : [];
      }),
    );
    addFiles(
      [...byFile.keys()],
      (kept) =>
        void passOver(
          folder.comparisonId,
          kept.flatMap((file) => byFile.get(file) ?? []),
          gone,
        ),
    );
  };
  const { name, comparisonId } = folder;
  return (
    <section aria-label={LABELS.connectedFolder} className="flex min-h-7 items-center gap-3 text-[13px]">
      <FolderSync size={15} className="text-soft" aria-hidden="true" />
      <span className="font-medium">{name}</span>
      {state.is === "asking" && (
        <>
          <span className="text-soft">The browser asks for access again.</span>
          <button type="button" className="btn btn-xs border-rule" onClick={() => void look(true)}>
            Allow access
          </button>
        </>
      )}
      {state.is === "problem" && (
        <span role="alert" className="text-error">
          {state.words}
        </span>
      )}
      {state.is === "looked" && <Told found={state.found} onTake={take} comparisonId={comparisonId} />}
      <button
        type="button"
        className="btn btn-ghost btn-xs ml-auto"
        title="Disconnect the folder; its renders stay"
        onClick={() => void disconnectFolder(comparisonId)}
      >
        {LABELS.disconnect}
      </button>
    </section>
  );
}

function Told({
  found,
  onTake,
  comparisonId,
}: {
  found: LookedThrough;
  onTake: (found: LookedThrough) => void;
  comparisonId: string;
}) {
  const { appeared, changed, gone, files } = found;
  if (appeared.length + changed.length === 0)
    return (
      <span className="text-soft">
        {plural(files.size, "file")}, nothing new
        {gone.length > 0 && `; ${gone.length} missing from the folder, renders kept`}.
      </span>
    );
  const parts = [
    appeared.length > 0 && plural(appeared.length, "new file"),
    changed.length > 0 && plural(changed.length, "changed file"),
  ].filter(Boolean);
  return (
    <>
      <span role="status">{parts.join(", ")}.</span>
      <button type="button" className="btn btn-primary btn-xs" onClick={() => onTake(found)}>
        Review {appeared.length + changed.length === 1 ? "it" : "them"}
      </button>
      <button
        type="button"
        className="btn btn-xs border-rule"
        onClick={() => void passOver(comparisonId, [...appeared, ...changed], gone)}
      >
        {LABELS.ignoreUntilChanged}
      </button>
    </>
  );
}
