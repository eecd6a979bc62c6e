"use client";

import { formatDistanceToNow } from "date-fns";
import { Archive as ArchiveIcon } from "lucide-react";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { type OpenedArchive, openArchive, takeArchive } from "@/store/archive-read";
import { database } from "@/store/database";
import type { Comparison } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { FileButton, ZIP } from "@/ui/shell/file-button";
import { stopPath } from "@/ui/shell/stops";
import { useMounted } from "@/ui/shell/use-mounted";
import { JobCancelled } from "@/workers/jobs";

type State =
  | { is: "idle" }
  | { is: "opening" }
  | { is: "already here"; opened: OpenedArchive; known: Comparison }
  | { is: "problem"; words: string };

const ago = (isoTime: string): string => formatDistanceToNow(new Date(isoTime), { addSuffix: true });

/** Takes a comparison in that was archived here or elsewhere. One that is already here is put in place of that, if that is wished. */
export function OpenArchive() {
  const router = useRouter();
  const alive = useMounted();
  const [state, setState] = useState<State>({ is: "idle" });
  const trouble = (name: string, error: unknown) =>
    setState(
      error instanceof JobCancelled
        ? { is: "idle" }
        : { is: "problem", words: `${name} could not be opened: ${error instanceof Error ? error.message : error}` },
    );
  const take = async (opened: OpenedArchive) => {
    setState({ is: "opening" });
    try {
      const taken = await takeArchive(opened);
      if (taken.ok) router.push(stopPath(taken.value, "findings"));
      else setState({ is: "problem", words: `${taken.reason} ${taken.advice}` });
    } catch (error) {
      trouble(opened.fileName, error);
    }
  };
  const open = async (file: File) => {
    setState({ is: "opening" });
    try {
      const opened = await openArchive(file);
      if (!opened.ok) {
        setState({ is: "problem", words: `${opened.reason} ${opened.advice}` });
        return;
      }
      const known = await database.comparisons.get(opened.value.archive.comparison.id);
      if (known) setState({ is: "already here", opened: opened.value, known });
      else await take(opened.value);
    } catch (error) {
      trouble(file.name, error);
    }
  };
  return (
    <>
      <FileButton
        label={LABELS.archiveToOpen}
        accept={ZIP}
        isOff={state.is === "opening" || !alive}
        onFiles={([file]) => void open(file)}
      >
        <ArchiveIcon size={15} /> {state.is === "opening" ? "Opening…" : "Open an archive"}
      </FileButton>
      {state.is === "already here" && (
        <p role="status" className="basis-full text-[13px]">
          {state.known.title} is already here, last changed {ago(state.known.updatedAt)}; the archive was written{" "}
          {ago(state.opened.archive.writtenAt)}.{" "}
          <button type="button" className="btn btn-xs border-rule" onClick={() => void take(state.opened)}>
            Replace with the archive
          </button>{" "}
          <button type="button" className="btn btn-xs border-rule" onClick={() => setState({ is: "idle" })}>
            Keep the one here
          </button>
        </p>
      )}
      {state.is === "problem" && (
        <p role="alert" className="basis-full text-error">
          {state.words}
        </p>
      )}
    </>
  );
}
