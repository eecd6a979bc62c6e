"use client";

import { Download, Hammer } from "lucide-react";
import { useRouter } from "next/navigation";
import { useRef, useState } from "react";
import { FORCE_DRIVES_DB, FORCE_MATERIALS } from "@/core/bench/stress-test";
import { listed, plural, withUnit } from "@/core/words/units";
import { runStressTest, stressFiles } from "@/store/stress-test";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { download } from "@/ui/shell/download";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { stopPath } from "@/ui/shell/stops";
import { WhatIs } from "@/ui/shell/what-is";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";
import type { Subject } from "./use-bench";

type State = { at: "rest" } | { at: "running" } | { at: "done"; titles: string[] };

/** Sends tonal and percussive material through chosen candidates at absurd gain: passages to listen to and to explain, level-matched as any other. */
export function StressTestDialog({ subjects, onClose }: { subjects: readonly Subject[]; onClose: () => void }) {
  const { comparison, candidates } = useWorkbench();
  const router = useRouter();
  const able = subjects.flatMap(({ candidate, isShown }) =>
    candidate?.chain ? [{ id: candidate.id, title: candidate.title, isShown }] : [],
  );
  const outside = subjects.filter(({ candidate }) => candidate && !candidate.chain);
  const [chosen, setChosen] = useState(() => new Set(able.filter((c) => c.isShown).map((c) => c.id)));
  const [materialKeys, setMaterials] = useState<ReadonlySet<string>>(new Set(FORCE_MATERIALS.map(({ key }) => key)));
  const [driveDb, setDrive] = useState<number>(FORCE_DRIVES_DB[1]);
  const [state, setState] = useState<State>({ at: "rest" });
  const [problem, setProblem] = useState<string | null>(null);
  const cancel = useRef(new AbortController());
  const order = { materialKeys: [...materialKeys], driveDb };
  const attempt = async (act: (signal: AbortSignal) => Promise<State>) => {
    setProblem(null);
    setState({ at: "running" });
    cancel.current = new AbortController();
    try {
      setState(await act(cancel.current.signal));
    } catch (error) {
      setState({ at: "rest" });
      if (!(error instanceof JobCancelled)) setProblem(error instanceof Error ? error.message : String(error));
    }
  };
  const run = () =>
    attempt(async (signal) => {
      const some = candidates.filter((c) => chosen.has(c.id));
      return {
        at: "done",
        titles: await runStressTest({ comparisonId: comparison.id, candidates: some, ...order, signal }),
      };
    });
  const save = () =>
    attempt(async (signal) => {
      for (const file of await stressFiles({ ...order, signal })) download(file.name, file);
      return { at: "rest" };
    });
  const isRunning = state.at === "running";
  return (
    <Modal
      title={LABELS.stressTest}
      width={620}
      onClose={() => {
        cancel.current.abort();
        onClose();
      }}
      actions={(close) =>
        state.at === "done" ? (
          <>
            <CloseButton onClick={close}>{LABELS.close}</CloseButton>
            {(["explain", "listen"] as const).map((stop) => (
              <button
                key={stop}
                type="button"
                className={`btn btn-sm ${stop === "listen" ? "btn-neutral" : "border-rule"}`}
                onClick={() => {
                  close();
                  router.push(stopPath(comparison.id, stop));
                }}
              >
                {stop === "listen" ? LABELS.listenToThem : "Explain them"}
              </button>
            ))}
          </>
        ) : (
          <>
            <button
              type="button"
              className="btn btn-ghost btn-sm mr-auto font-normal"
              disabled={isRunning || materialKeys.size === 0}
              title="For outside processors: send it through, and drop the result at Gather"
              onClick={() => void save()}
            >
              <Download size={15} /> Save the material
            </button>
            <CloseButton onClick={close} />
            <button
              type="button"
              className="btn btn-neutral btn-sm"
              disabled={isRunning || chosen.size === 0 || materialKeys.size === 0}
              onClick={() => void run()}
            >
              <Hammer size={15} />{" "}
              {isRunning ? "Sending it through…" : `Send it through ${plural(chosen.size, "candidate")}`}
            </button>
          </>
        )
      }
    >
      {state.at === "done" ? (
        <p className="text-[13px]" role="status">
          {listed(state.titles)} {state.titles.length === 1 ? "is a passage" : "are passages"} of the comparison now.
          Dry is the driven material; its renders are aligned and matched as usual.
        </p>
      ) : (
        <>
          <div className="grid grid-cols-2 gap-6 text-[13px]">
            <Boxes title="Through" items={able} chosen={chosen} onChange={setChosen} />
            <div className="grid content-start gap-3">
              <Boxes
                title="Material"
                items={FORCE_MATERIALS.map(({ key, title, about }) => ({ id: key, title: `${title}, ${about}` }))}
                chosen={materialKeys}
                onChange={setMaterials}
              />
              <QuickSelect
                label="Driven by"
                title="Driven by"
                value={driveDb}
                options={FORCE_DRIVES_DB.map((value) => ({ value, title: withUnit(`+${value}`, "dB") }))}
                onChange={setDrive}
              />
            </div>
          </div>
          <p className="text-[12px] text-soft">
            <WhatIs figure="stressTest">{LABELS.stressTest}</WhatIs>: extreme drive shows what a processor does when
            pushed. Peaks are at −6 dBFS plus the drive, in 32-bit float, so nothing clips before it. Each material
            becomes a passage, matched before you hear it.
            {outside.length > 0 &&
              ` ${listed(outside.map((s) => s.title))} processed outside: save the material for that.`}
          </p>
        </>
      )}
      {problem && (
        <p role="alert" className="text-[12px] text-error">
          {problem}
        </p>
      )}
    </Modal>
  );
}

function Boxes({
  title,
  items,
  chosen,
  onChange,
}: {
  title: string;
  items: readonly { id: string; title: string }[];
  chosen: ReadonlySet<string>;
  onChange: (chosen: Set<string>) => void;
}) {
  return (
    <fieldset className="grid content-start gap-1.5">
      <legend className="mb-1 text-soft">{title}</legend>
      {items.map((item) => (
        <label key={item.id} className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={chosen.has(item.id)}
            onChange={() => {
              const next = new Set(chosen);
              if (!next.delete(item.id)) next.add(item.id);
              onChange(next);
            }}
          />
          {item.title}
        </label>
      ))}
      {items.length === 0 && <span className="text-soft">no built-in candidate</span>}
    </fieldset>
  );
}
