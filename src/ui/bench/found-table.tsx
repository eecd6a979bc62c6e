"use client";

import { Plus } from "lucide-react";
import { useState } from "react";
import type { FoundSettings } from "@/core/bench/find/found-settings";
import { settingsOfChain } from "@/core/candidates/chain-settings";
import type { Chain } from "@/core/processors/chain";
import { withUnit } from "@/core/words/units";
import { runChainOver } from "@/store/run-chain";
import { LABELS } from "@/ui/labels";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";

/** The settings found, what they do not reach, and a way to hear them. */
export function FoundTable({ found, title }: { found: Pick<FoundSettings, "chain" | "unreached">; title: string }) {
  return (
    <div className="grid shrink-0 grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-6">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls is scrolled by keys */}
      <section className="max-h-36 overflow-auto" tabIndex={0} aria-label={LABELS.settingsFound}>
        <table className="table table-xs">
          <tbody>
            {settingsOfChain(found.chain).map(({ parameter, value, unit }) => (
              <tr key={parameter}>
                <th scope="row" className="font-normal">
                  {parameter}
                </th>
                <td className="figure text-right">{unit ? withUnit(value, unit) : value}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <div className="grid content-start gap-1.5 text-[12px]">
        {found.unreached.length === 0 ? (
          <p className="text-soft">Everything measured is within its range.</p>
        ) : (
          found.unreached.map((reason) => <p key={reason}>{reason}</p>)
        )}
        <MakeCandidate chain={found.chain} title={title} />
      </div>
    </div>
  );
}

function MakeCandidate({ chain, title }: { chain: Chain; title: string }) {
  const { comparison, passages } = useWorkbench();
  const [state, setState] = useState<"idle" | "running" | "made" | string>("idle");
  const make = async () => {
    setState("running");
    try {
      await runChainOver({
        comparisonId: comparison.id,
        passages,
        title,
        chain,
        keepLatency: false,
        keyCandidateId: null,
      });
      setState("made");
    } catch (error) {
      setState(error instanceof JobCancelled ? "idle" : error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <p className="flex items-center gap-2">
      <button
        type="button"
        className="btn btn-sm border-rule bg-base-100"
        disabled={state === "running" || passages.length === 0}
        onClick={() => void make()}
      >
        <Plus size={14} /> {state === "running" ? "Adding…" : LABELS.addAsCandidate}
      </button>
      <span role="status" className="text-soft">
        {state === "made" ? LABELS.addedAsAColumnOfTheGrid : state === "idle" || state === "running" ? "" : state}
      </span>
    </p>
  );
}
