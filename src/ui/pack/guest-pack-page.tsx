"use client";

import { format } from "date-fns";
import { useLiveQuery } from "dexie-react-hooks";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { isRightOrWrong, type Plan, trialCount } from "@/core/blind/plan";
import { plural, shortClock } from "@/core/words/units";
import { database } from "@/store/database";
import { listenerFor } from "@/store/listeners";
import { forgetGuestPack, guestComparisonId, guestDraft } from "@/store/packs";
import type { Run } from "@/store/records";
import { beginRun } from "@/store/runs";
import { ListenerFields, useListener } from "@/ui/blind/listener-fields";
import { FORMS } from "@/ui/blind/plan-draft";
import { SaveRun } from "@/ui/blind/save-run";
import { trialWord } from "@/ui/blind/seats";
import { LABELS } from "@/ui/labels";
import { PlainHeader } from "@/ui/shell/plain-header";

/** A listening pack that came from someone else: what it asks, who listens, and the runs taken over it. */
export function GuestPackPage({ packId }: { packId: string }) {
  const router = useRouter();
  const pack = useLiveQuery(async () => (await database.guestPacks.get(packId)) ?? null, [packId]);
  const runs = useLiveQuery(() => database.runs.where({ comparisonId: guestComparisonId(packId) }).toArray(), [packId]);
  const listener = useListener();
  if (pack === undefined || runs === undefined) return null;
  if (pack === null) {
    return (
      <main className="grid min-h-screen place-content-center gap-3">
        <h1 className="font-semibold text-2xl">This pack is not in this browser.</h1>
        <Link className="link" href="/?list">
          Open it from its file
        </Link>
      </main>
    );
  }
  const { title, plan, frames, sampleRateHz, stimuli } = pack.manifest;
  const begin = async () => {
    const run = await beginRun(guestDraft(pack, await listenerFor(listener.listener)));
    router.push(`/booth/${run.id}`);
  };
  const forget = async () => {
    await forgetGuestPack(packId);
    router.push("/?list");
  };
  return (
    <div className="flex h-screen flex-col">
      <PlainHeader />
      <main className="mx-auto grid w-full max-w-3xl min-h-0 flex-1 content-center gap-5 overflow-auto p-8">
        <div className="grid gap-2">
          <h1 className="font-semibold text-3xl">{title}</h1>
          <p className="text-[15px]">{FORMS.find((f) => f.kind === plan.kind)?.asks}</p>
          <p className="text-soft">
            {lengthInWords(plan, stimuli.length)}, over {shortClock(frames / sampleRateHz)} of sound, level-matched.
            Names stay hidden. Nobody sees a result before you send the file back.
          </p>
        </div>
        <ListenerFields {...listener} />
        <div className="flex items-center gap-3">
          <button type="button" className="btn btn-primary" onClick={() => void begin()}>
            {LABELS.sealTheOrderAndBegin}
          </button>
          <span className="text-[13px] text-soft">
            Set a comfortable volume in the first trial and leave it. Leaving early is recorded.
          </span>
        </div>
        <GuestRuns runs={runs} />
        <button type="button" className="link w-fit cursor-pointer text-[13px] text-soft" onClick={() => void forget()}>
          Remove this pack from this browser, with {plural(runs.length, "run")}
        </button>
      </main>
    </div>
  );
}

const lengthInWords = (plan: Plan, stimuli: number): string =>
  isRightOrWrong(plan)
    ? plural(plan.trials, "trial")
    : plan.kind === "pairs"
      ? plural(trialCount(plan, stimuli), "meeting")
      : `${plural(plan.rounds, "round")} over ${plural(stimuli, "render")}`;

function GuestRuns({ runs }: { runs: readonly Run[] }) {
  if (runs.length === 0) return null;
  return (
    <section className="grid gap-1">
      <h2 className="font-display font-semibold">Your runs</h2>
      <ul className="divide-y divide-faint border-rule border-y">
        {runs.map((run) => (
          <li key={run.id} className="flex items-center gap-3 py-1.5" data-testid="guest-run">
            <span className="figure text-[12px] text-soft">{format(new Date(run.createdAt), "d MMM yyyy, HH:mm")}</span>
            <span className="flex-1">
              {run.finishedAt
                ? "over"
                : `waits at ${trialWord(run).toLowerCase()} ${run.trials.length + 1} of ${trialCount(run.plan, run.stimuli.length)}`}
            </span>
            {run.finishedAt ? (
              <SaveRun run={run} primary />
            ) : (
              <Link className="btn btn-sm border-rule" href={`/booth/${run.id}`}>
                {LABELS.goOn}
              </Link>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
