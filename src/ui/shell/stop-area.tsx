"use client";

import { BlindStop } from "@/ui/blind/blind-stop";
import { ExplainStop } from "@/ui/explain/explain-stop";
import { FindingsStop } from "@/ui/findings/findings-stop";
import { GatherStop } from "@/ui/gather/gather-stop";
import { LineUpStop } from "@/ui/line-up/line-up-stop";
import { ListenStop } from "@/ui/listen/listen-stop";
import { type StopKey, stopOf } from "./stops";

/** The area of one stop. */
export function StopArea({ stopKey }: { stopKey: StopKey }) {
  switch (stopKey) {
    case "gather":
      return <GatherStop />;
    case "line-up":
      return <LineUpStop />;
    case "listen":
      return <ListenStop />;
    case "blind":
      return <BlindStop />;
    case "explain":
      return <ExplainStop />;
    case "findings":
      return <FindingsStop />;
    default:
      return <PlannedStop stopKey={stopKey} />;
  }
}

function PlannedStop({ stopKey }: { stopKey: StopKey }) {
  const stop = stopOf(stopKey);
  return (
    <section className="p-5">
      <h1 className="font-semibold text-2xl">{stop?.title}</h1>
      <p className="mt-2 max-w-prose text-soft">{stop?.planned} It is not built yet.</p>
    </section>
  );
}
