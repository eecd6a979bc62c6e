import { type QueryFunctionContext, useQuery } from "@tanstack/react-query";
import type { OverMask } from "@/core/audibility/over-mask";
import type { ChannelView } from "@/core/audio/channel-view";
import type { Ladder } from "@/core/ladder/ladder-report";
import type { Averaged } from "@/core/spectrum/averaged";
import { ladderFor, overMaskOf, spectraOf } from "@/store/explaining";
import type { Region, Render } from "@/store/records";
import { sentenceOf } from "@/ui/shell/queries";
import { rankOf } from "@/ui/shell/sight";
import { tellSoFar, useSoFar } from "@/ui/shell/so-far";
import { laidKey } from "@/ui/shell/use-results";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";

const regionKey = (region: Region) => `${region.startFrame}-${region.endFrame}`;

const pairKey = ({ here, yonder, dry }: Pair) => [...laidKey(here, dry), ...laidKey(yonder, dry)];

type Shown<T> = { data: T | null; problem: string | null };

/** A pair that can be taken apart: two renders, not one twice. */
export function useExplainedPair(): { pair: Pair; region: Region } | null {
  const { pair, region } = useWorkbench();
  return pair && region && pair.here.id !== pair.yonder.id ? { pair, region } : null;
}

/** The ladder of the pair over the loop, or the passage; what is known of it so far while it is worked out. */
export function useLadder(explained: { pair: Pair; region: Region } | null): Shown<Ladder> {
  const key = ["ladder", ...(explained ? [...pairKey(explained.pair), regionKey(explained.region)] : [])];
  const { data, error } = useQuery({
    queryKey: key,
    queryFn: ({ signal, client, queryKey }: QueryFunctionContext) => {
      if (!explained) throw new Error("there is no pair");
      const { pair, region } = explained;
      return ladderFor(pair, region, { signal, rank: "normal" }, (ladder) => tellSoFar(client, queryKey, ladder));
    },
    enabled: explained !== null,
  });
  const [soFar] = useSoFar<Ladder>([key]);
  return { data: data ?? soFar, problem: error ? sentenceOf(error) : null };
}

/** Averaged spectra of renders of the passage over a region; the first one is what the others are held against. */
export function useSpectra(
  renders: readonly Render[],
  dry: Render | undefined,
  region: Region | null,
  points: number,
  view: ChannelView,
): Shown<Averaged> {
  const isThere = dry !== undefined && region !== null && renders.length > 0;
  const key = [
    "spectra",
    ...(isThere ? [...renders.flatMap((r) => laidKey(r, dry)), regionKey(region), points, view] : []),
  ];
  const { data, error, isPlaceholderData } = useQuery({
    queryKey: key,
    queryFn: ({ signal, client, queryKey }: QueryFunctionContext) => {
      if (!isThere) throw new Error("there is nothing to average");
      return spectraOf(renders, dry, region, points, view, { signal, rank: rankOf(renders[0]) }, (averaged) =>
        tellSoFar(client, queryKey, averaged),
      );
    },
    enabled: isThere,
    placeholderData: (before) => before,
  });
  const [soFar] = useSoFar<Averaged>([key]);
  return { data: (isPlaceholderData ? (soFar ?? data) : data) ?? soFar, problem: error ? sentenceOf(error) : null };
}

/** Where the pair's difference stands out, with the match's gain between the two. */
export function useOverMask(
  explained: { pair: Pair; region: Region } | null,
  gainDb: number | null,
  playbackSplDb: number,
): Shown<OverMask> {
  const { data = null, error } = useQuery({
    queryKey: [
      "over mask",
      ...(explained ? [...pairKey(explained.pair), regionKey(explained.region)] : []),
      gainDb?.toFixed(2),
      playbackSplDb,
    ],
    queryFn: ({ signal }: QueryFunctionContext) => {
      if (!explained || gainDb === null) throw new Error("there is no pair");
      return overMaskOf(explained.pair, explained.region, gainDb, playbackSplDb, { signal, rank: "normal" });
    },
    enabled: explained !== null && gainDb !== null,
  });
  return { data, problem: error ? sentenceOf(error) : null };
}
