"use client";

import dynamic from "next/dynamic";
import type { ComponentType } from "react";
import { HoldKeys, withHeldKeys } from "./held-keys";
import type { StopKey } from "./stops";

/** Each stop comes by itself: nobody waits for the code of the other six. */
const LOADERS: Record<StopKey, () => Promise<ComponentType>> = {
  gather: () => import("@/ui/gather/gather-stop").then((stop) => stop.GatherStop),
  "line-up": () => import("@/ui/line-up/line-up-stop").then((stop) => stop.LineUpStop),
  listen: () => import("@/ui/listen/listen-stop").then((stop) => stop.ListenStop),
  blind: () => import("@/ui/blind/blind-stop").then((stop) => stop.BlindStop),
  explain: () => import("@/ui/explain/explain-stop").then((stop) => stop.ExplainStop),
  bench: () => import("@/ui/bench/bench-stop").then((stop) => stop.BenchStop),
  findings: () => import("@/ui/findings/findings-stop").then((stop) => stop.FindingsStop),
};

const AREAS = new Map(
  Object.entries(LOADERS).map(
    ([key, load]) =>
      [key as StopKey, dynamic(() => load().then(withHeldKeys), { ssr: false, loading: HoldKeys })] as const,
  ),
);

// Begun at once, while the comparison is still being read.
if (typeof window !== "undefined")
  for (const key of AREAS.keys()) if (window.location.pathname.endsWith(`/${key}`)) void LOADERS[key]();

/** The area of one stop. */
export function StopArea({ stopKey }: { stopKey: StopKey }) {
  const Area = AREAS.get(stopKey);
  return Area ? <Area /> : null;
}
