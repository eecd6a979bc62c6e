"use client";

import { zodResolver } from "@hookform/resolvers/zod";
import { useRef, useState } from "react";
import { useForm, useWatch } from "react-hook-form";
import { z } from "zod";
import { type Chain, chainLatencySamples, chainSchema } from "@/core/processors/chain";
import { processorOf } from "@/core/processors/registry";
import { plural } from "@/core/words/units";
import { runChainOver } from "@/store/run-chain";
import { LABELS } from "@/ui/labels";
import { JobStrip } from "@/ui/shell/job-strip";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";
import { ChainForm, type ChainFormValues, stageOf } from "./chain-form";

const formSchema = z.object({
  title: z.string(),
  passageIds: z.array(z.string()).min(1, "Choose at least one passage."),
  keepLatency: z.boolean(),
  keyCandidateId: z.string(),
  chain: chainSchema,
});

type Props = {
  /** A chain to begin with; else one equalizer. */
  start?: { title: string; chain: Chain };
  onClose: () => void;
};

/** Runs the dry renders through built-in processors: the result is a column of the grid. */
export function ProcessorDialog({ start, onClose }: Props) {
  const { comparison, passages, candidates } = useWorkbench();
  const [running, setRunning] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const cancel = useRef(new AbortController());
  const form = useForm<ChainFormValues>({
    resolver: zodResolver(formSchema) as never,
    defaultValues: {
      title: start?.title ?? "",
      passageIds: passages.map((p) => p.id),
      keepLatency: false,
      keyCandidateId: "",
      chain: start?.chain ?? [stageOf("bilinear-equalizer")],
    },
  });
  const { register, formState, control } = form;
  const chain = useWatch({ control, name: "chain" });
  const chosen = useWatch({ control, name: "passageIds" }) || [];
  const takesSidechain = chain.some((stage) => processorOf(stage.processorKey)?.takesSidechain);
  const first = processorOf(chain[0]?.processorKey)?.name ?? "";
  const run = (close: () => void) =>
    form.handleSubmit(async (values) => {
      setRunning(true);
      setProblem(null);
      try {
        await runChainOver({
          comparisonId: comparison.id,
          passages: passages.filter((p) => values.passageIds.includes(p.id)),
          title: values.title.trim() || first,
          chain: values.chain,
          keepLatency: values.keepLatency,
          keyCandidateId: takesSidechain && values.keyCandidateId ? values.keyCandidateId : null,
          signal: cancel.current.signal,
        });
        close();
      } catch (error) {
        setRunning(false);
        cancel.current = new AbortController();
        if (!(error instanceof JobCancelled)) setProblem(error instanceof Error ? error.message : String(error));
      }
    });
  return (
    <Modal
      title="Run a processor"
      width={960}
      onClose={() => {
        cancel.current.abort();
        onClose();
      }}
      actions={(close) => (
        <>
          <span className="mr-auto text-[13px] text-soft">
            Simulated stand-ins for the outside world, not models of any device.
          </span>
          <CloseButton onClick={close} />
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={running}
            onClick={(event) => void run(close)(event)}
          >
            {running ? "Running…" : `Run over ${plural(chosen.length, "passage")}`}
          </button>
        </>
      )}
    >
      <div className="grid min-h-0 content-start gap-3 overflow-auto pr-1">
        <label className="grid w-96 gap-1 text-[13px]">
          <span className="text-soft">{LABELS.nameOfTheCandidate}</span>
          <input className="input input-sm w-full border-rule" placeholder={first} {...register("title")} />
        </label>
        <ChainForm form={form} />
        <div className="grid grid-cols-2 gap-x-6 gap-y-2 text-[13px]">
          <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
            <legend className="mb-1 text-soft">Passages</legend>
            {passages.map((p) => (
              <label key={p.id} className="flex items-center gap-1.5">
                <input type="checkbox" className="checkbox checkbox-xs" value={p.id} {...register("passageIds")} />
                {p.title}
              </label>
            ))}
            {formState.errors.passageIds && (
              <span role="alert" className="text-error">
                {formState.errors.passageIds.message}
              </span>
            )}
          </fieldset>
          <div className="grid content-start gap-2">
            <label className="flex items-center gap-2">
              <input type="checkbox" className="toggle toggle-sm" {...register("keepLatency")} />
              <span>
                {LABELS.keepProcessingLatency} <Latency chain={chain} />
              </span>
            </label>
            {takesSidechain && (
              <label className="flex items-center gap-2">
                <span className="text-soft">{LABELS.sidechain}</span>
                <select className="select select-xs border-rule" {...register("keyCandidateId")}>
                  <option value="">none (own signal)</option>
                  {candidates.map((c) => (
                    <option key={c.id} value={c.id}>
                      {c.title}
                    </option>
                  ))}
                </select>
              </label>
            )}
          </div>
        </div>
      </div>
      {running && <JobStrip askedOnly />}
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
    </Modal>
  );
}

/** What a host without compensation would add, at 48 kHz; nothing while the form holds values that do not parse. */
function Latency({ chain }: { chain: ChainFormValues["chain"] }) {
  const parsed = chainSchema.safeParse(chain);
  if (!parsed.success) return null;
  return <span className="figure text-soft">({chainLatencySamples(parsed.data, 48_000)} samples at 48 kHz)</span>;
}
