"use client";

import { useLiveQuery } from "dexie-react-hooks";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { database } from "@/store/database";
import { openPack } from "@/store/packs";
import { LABELS } from "@/ui/labels";
import { FileButton, ZIP } from "@/ui/shell/file-button";
import { useMounted } from "@/ui/shell/use-mounted";

/** For whoever was sent a listening pack. */
export function OpenPack() {
  const router = useRouter();
  const alive = useMounted();
  const [state, setState] = useState<"idle" | "opening" | { problem: string }>("idle");
  const packs = useLiveQuery(() => database.guestPacks.toArray(), []) ?? [];
  const open = async (file: File) => {
    setState("opening");
    try {
      const opened = await openPack(file);
      if (opened.ok) router.push(`/pack/${opened.value}`);
      else setState({ problem: `${opened.reason} ${opened.advice}` });
    } catch (error) {
      setState({
        problem: `${file.name} could not be opened: ${error instanceof Error ? error.message : String(error)}`,
      });
    }
  };
  return (
    <section className="grid content-start gap-2">
      <h2 className="font-semibold text-lg">Listen for someone</h2>
      <p className="text-soft">Received a listening pack? Open it, take its run, send the result file back.</p>
      <FileButton
        label={LABELS.listeningPackToOpen}
        accept={ZIP}
        isOff={state === "opening" || !alive}
        onFiles={([file]) => void open(file)}
      >
        {state === "opening" ? "Opening…" : "Open a listening pack"}
      </FileButton>
      {typeof state === "object" && (
        <p role="alert" className="text-error">
          {state.problem}
        </p>
      )}
      {packs.map(({ id, manifest }) => (
        <Link key={id} className="link w-fit text-[13px]" href={`/pack/${id}`}>
          {manifest.title}
        </Link>
      ))}
    </section>
  );
}
