"use client";

import { skipToken, useQuery } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { useState } from "react";
import { AS_GOOD_DB, FINDABLE, type FoundSettings, OF_BANDS } from "@/core/bench/found-settings";
import { settingsOfChain } from "@/core/candidates/chain-settings";
import { processorOf } from "@/core/processors/registry";
import { settingsFor } from "@/store/measurements";
import { runChainOver } from "@/store/run-chain";
import { CurvesChart } from "@/ui/charts/frequency-chart";
import type { Curve } from "@/ui/charts/lines-chart";
import { hertzText, number, withUnit } from "@/ui/format";
import { QuickSelect } from "@/ui/shell/controls";
import { sentenceOf } from "@/ui/shell/queries";
import { Instead } from "@/ui/shell/view";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";
import type { MeasuredSubject } from "./use-bench";

const BANDS = [1, 2, 3, 4, 5, 6, 7, 8];

/** Can these two be set to sound the same? The settings of a processor that come closest to a measured curve, and what they do not reach. */
export function SettingsView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const [key, setKey] = useState<string | null>(null);
  const [processorKey, setProcessor] = useState(FINDABLE[0]);
  const [mostBands, setMostBands] = useState(8);
  const target = measured.find((s) => s.key === key) ?? measured[0];
  const { data, error, isFetching } = useQuery({
    queryKey: ["settings", JSON.stringify(target.report.response.magnitudeDb), processorKey, mostBands],
    queryFn: target
      ? ({ signal }) => settingsFor(target.report, processorKey, mostBands, { signal, rank: "urgent" })
      : skipToken,
  });
  const name = processorOf(processorKey)?.name ?? processorKey;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 text-[12px]">
        <QuickSelect
          label="Come close to"
          title="Come close to"
          value={target.key}
          options={measured.map((s) => ({ value: s.key, title: s.title }))}
          onChange={setKey}
        />
        <QuickSelect
          label="Processor to set"
          title="with"
          value={processorKey}
          options={FINDABLE.map((value) => ({ value, title: processorOf(value)?.name ?? value }))}
          onChange={setProcessor}
        />
        {processorKey in OF_BANDS && (
          <QuickSelect
            label="Bands at the most"
            title="of at most"
            value={mostBands}
            options={BANDS.map((value) => ({ value, title: value === 1 ? "1 band" : `${value} bands` }))}
            onChange={setMostBands}
          />
        )}
        <span className="min-w-0 flex-1 text-[13px] text-soft" data-testid="settings-sentence">
          {error ? sentenceOf(error) : isFetching || !data ? "Looking for settings…" : verdictOf(data)}
        </span>
      </div>
      {data ? <Found found={data} target={target} name={name} /> : <Instead>Several beginnings are tried.</Instead>}
    </div>
  );
}

function verdictOf({ leftDb, mostLeftDb, mostLeftHertz }: FoundSettings): string {
  const most = `${withUnit(number(mostLeftDb, 2), "dB")} at the most, at ${hertzText(mostLeftHertz)}`;
  return mostLeftDb < AS_GOOD_DB
    ? `Yes, by their curves: within ${most}.`
    : `Not quite: ${withUnit(number(leftDb, 2), "dB")} off on the whole, ${most}.`;
}

function Found({ found, target, name }: { found: FoundSettings; target: MeasuredSubject; name: string }) {
  const ink = "var(--color-base-content)";
  const wanted = target.report.response.magnitudeDb;
  const curves: Curve[] = [
    { ...target.line, values: wanted },
    { title: name, colour: ink, width: 1.5, dash: "2 3", values: found.curveDb },
    {
      title: "what is left",
      colour: "var(--soft-ink)",
      width: 1,
      values: wanted.map((db, i) => db - found.curveDb[i]),
    },
  ];
  return (
    <>
      <CurvesChart
        name="Bench settings"
        label="The wanted curve and the one found"
        sampleRateHz={target.report.signal.sampleRateHz}
        hertz={found.hertz}
        curves={curves}
        unit="dB"
        decimals={2}
        least={1}
        note=""
      />
      <div className="grid shrink-0 grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-6">
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls is scrolled by keys */}
        <section className="max-h-36 overflow-auto" tabIndex={0} aria-label="Settings found">
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
            <p className="text-soft">Nothing that was measured is out of its reach.</p>
          ) : (
            found.unreached.map((reason) => <p key={reason}>{reason}</p>)
          )}
          <MakeCandidate found={found} title={`${name}, set like ${target.title}`} />
        </div>
      </div>
    </>
  );
}

function MakeCandidate({ found, title }: { found: FoundSettings; title: string }) {
  const { comparison, passages } = useWorkbench();
  const [state, setState] = useState<"idle" | "running" | "made" | string>("idle");
  const make = async () => {
    setState("running");
    try {
      await runChainOver({
        comparisonId: comparison.id,
        passages,
        title,
        chain: found.chain,
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
        <Plus size={14} /> {state === "running" ? "Making it…" : "Make it a candidate"}
      </button>
      <span role="status" className="text-soft">
        {state === "made" ? "It is a column of the grid now." : state === "idle" || state === "running" ? "" : state}
      </span>
    </p>
  );
}
