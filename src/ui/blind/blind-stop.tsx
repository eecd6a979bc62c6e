"use client";

import { useLiveQuery } from "dexie-react-hooks";
import Link from "next/link";
import { useState } from "react";
import { isRightOrWrong, trialCount } from "@/core/blind/plan";
import { plural } from "@/core/words/units";
import { database } from "@/store/database";
import { addResults } from "@/store/packs";
import type { Pack, Run } from "@/store/records";
import { EmptyStop } from "@/ui/gather/empty-stop";
import { LABELS } from "@/ui/labels";
import { FileButton, JSON_FILE } from "@/ui/shell/file-button";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { StopHeading } from "@/ui/shell/stop-heading";
import { useResults } from "@/ui/shell/use-results";
import { PackVerdict } from "./pack-verdict";
import { PlanForm } from "./plan-form";
import { trialWord } from "./seats";

/** Plan a blind run: can it be reported, which is liked, how much? */
export function BlindStop() {
  const results = useResults();
  const { pair, comparison } = results;
  const open = useOpenRuns(comparison.id);
  if (!pair) return <EmptyStop stop="blind" />;
  return (
    <section className="flex h-full flex-col gap-3 overflow-auto px-5 py-3.5">
      <StopHeading title={LABELS.blind}>Plan fixed and order sealed before the first trial.</StopHeading>
      {open.map((run) => (
        <div key={run.id} className="flex items-center gap-3 rounded-lg border border-rule bg-base-100 px-4 py-2">
          <span className="flex-1">
            A run on {run.passageTitle} waits at {trialWord(run).toLowerCase()} {run.trials.length + 1} of{" "}
            {trialCount(run.plan, run.stimuli.length)}.
          </span>
          <Link className="btn btn-primary btn-sm" href={`/booth/${run.id}`}>
            {LABELS.goOn}
          </Link>
        </div>
      ))}
      <PlanForm results={results}>
        <SentPacks comparisonId={comparison.id} />
      </PlanForm>
    </section>
  );
}

function useOpenRuns(comparisonId: string) {
  return (
    useLiveQuery(
      () =>
        database.runs
          .where({ comparisonId })
          .filter((run) => run.finishedAt === null)
          .toArray(),
      [comparisonId],
    ) ?? []
  );
}

/** Packs that went out, and what came back of them. */
function SentPacks({ comparisonId }: { comparisonId: string }) {
  const packs = useLiveQuery(() => database.packs.where({ comparisonId }).toArray(), [comparisonId]);
  const runs = useLiveQuery(() => database.runs.where({ comparisonId }).toArray(), [comparisonId]);
  const [told, setTold] = useState<{ added: number; refused: string[] } | null>(null);
  const [shown, setShown] = useState<Pack | null>(null);
  if (!packs?.length || !runs) return null;
  const resultsOf = (pack: Pack): Run[] => runs.filter((r) => r.packId === pack.id);
  return (
    <section className="grid gap-1.5 border-rule border-t pt-3">
      <div className="flex items-center gap-3">
        <h2 className="flex-1 font-display font-semibold">Listening packs</h2>
        <FileButton
          label={LABELS.resultFilesToAdd}
          accept={JSON_FILE}
          isMany
          onFiles={(files) => void addResults(comparisonId, files).then(setTold)}
        >
          Add result files
        </FileButton>
      </div>
      {told && (
        <div role="status" className="grid gap-1">
          {told.added > 0 && <p>{plural(told.added, "result")} added.</p>}
          {told.refused.map((text) => (
            <p key={text} className="text-error">
              {text}
            </p>
          ))}
        </div>
      )}
      <ul className="divide-y divide-faint border-rule border-y">
        {packs.map((pack) => (
          <li key={pack.id} className="flex items-center gap-3 py-1.5">
            <span className="min-w-0 flex-1 truncate">
              {pack.manifest.title}
              <span className="text-soft">
                {" "}
                ·{" "}
                {isRightOrWrong(pack.manifest.plan)
                  ? `${pack.manifest.plan.trials} trials`
                  : plural(pack.manifest.plan.rounds, "round")}{" "}
                on {pack.passageTitle}
              </span>
            </span>
            <span className="figure text-[13px]">{plural(resultsOf(pack).length, "result")}</span>
            <button type="button" className="btn btn-xs border-rule" onClick={() => setShown(pack)}>
              {LABELS.allListenersTogether}
            </button>
          </li>
        ))}
      </ul>
      {shown && (
        <Modal
          title={shown.manifest.title}
          onClose={() => setShown(null)}
          actions={(close) => <CloseButton onClick={close}>{LABELS.close}</CloseButton>}
        >
          <div className="min-h-0 overflow-auto">
            <PackVerdict pack={shown} runs={resultsOf(shown)} />
          </div>
        </Modal>
      )}
    </section>
  );
}
