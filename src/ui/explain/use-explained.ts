import { type QueryFunctionContext, useQuery } from "@tanstack/react-query";
import type { Heard } from "@/core/audibility/heard";
import type { ChannelView } from "@/core/audio/channel-view";
import type { Ladder } from "@/core/ladder/ladder-schema";
import type { Averaged } from "@/core/spectrum/averaged";
import { heardOf, ladderFor, leftSpectraOf, type Source, spectraOf } from "@/store/explaining";
import type { Region, Render } from "@/store/records";
import { useMonitor } from "@/ui/shell/monitor";
import { sentenceOf } from "@/ui/shell/queries";
import { rankOf } from "@/ui/shell/sight";
import { tellSoFar, useSoFar } from "@/ui/shell/so-far";
import { laidKey, useMatch } from "@/ui/shell/use-results";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import type { Rank } from "@/workers/jobs";
import { sourceKey } from "./sources";

const regionKey = (region: Region) => `${region.startFrame}-${region.endFrame}`;

const pairKey = ({ here, yonder, dry }: Pair) => [...laidKey(here, dry), ...laidKey(yonder, dry)];

type Shown<T> = { data: T | null; problem: string | null };

/** A pair that can be analysed: two renders, not one twice. */
export function useExplainedPair(): { pair: Pair; region: Region } | null {
  const { pair, region } = useWorkbench();
  return pair && region && pair.here.id !== pair.yonder.id ? { pair, region } : null;
}

/** Whether the dry render stands beside the pair, not in it. */
export const hasDryBeside = ({ here, yonder, dry }: Pair): boolean => dry.id !== here.id && dry.id !== yonder.id;

/** What a render of the passage is played at now, dB: its gain of the match, or none. */
export function useGainOf(pair: Pair): (renderId: string) => number {
  const { matched } = useMonitor();
  const { match } = useMatch(pair);
  return (id) => (matched ? (match?.renders.get(id)?.gainDb ?? 0) : 0);
}

/** What Here and Yonder are played at now, dB. */
export function useGains(pair: Pair): { here: number; yonder: number } {
  const of = useGainOf(pair);
  return { here: of(pair.here.id), yonder: of(pair.yonder.id) };
}

type Explained = { pair: Pair; region: Region };

/** The ladder of a pair over a region. */
export const ladderQuery = ({ pair, region }: Explained, rank: Rank = "normal") => ({
  queryKey: ["ladder", ...pairKey(pair), regionKey(region)],
  queryFn: ({ signal, client, queryKey }: QueryFunctionContext) =>
    ladderFor(pair, region, { signal, rank }, (ladder) => tellSoFar(client, queryKey, ladder)),
});

/** The ladder of the pair over the loop, or the passage; what is known of it so far while it is worked out. */
export function useLadder(explained: Explained): Shown<Ladder> {
  const query = ladderQuery(explained);
  const { data, error } = useQuery(query);
  const [soFar] = useSoFar<Ladder>([query.queryKey]);
  return { data: data ?? soFar, problem: error ? sentenceOf(error) : null };
}

/** Averaged spectra of renders of the passage over a region; the first one is what the others are held against. */
export const spectraQuery = (
  renders: readonly Render[],
  dry: Render,
  region: Region,
  points: number,
  view: ChannelView,
) => ({
  queryKey: ["spectra", ...renders.flatMap((r) => laidKey(r, dry)), regionKey(region), points, view],
  queryFn: ({ signal, client, queryKey }: QueryFunctionContext) =>
    spectraOf(renders, dry, region, {
      points,
      view,
      asking: { signal, rank: rankOf(renders[0]) },
      onPart: (averaged) => tellSoFar(client, queryKey, averaged),
    }),
});

export const useSpectra = (...asked: Parameters<typeof spectraQuery>): Shown<Averaged> =>
  useAveraged(spectraQuery(...asked));

/** Averaged spectra of Yonder and of what remains of it. */
export function useLeftSpectra(
  source: Source,
  pair: Pair,
  region: Region,
  points: number,
  view: ChannelView,
): Shown<Averaged> {
  return useAveraged({
    queryKey: ["left spectra", ...sourceKey(source, pair), regionKey(region), points, view],
    queryFn: ({ signal, client, queryKey }) =>
      leftSpectraOf(source, pair, region, {
        points,
        view,
        asking: { signal, rank: "normal" },
        onPart: (averaged) => tellSoFar(client, queryKey, averaged),
      }),
  });
}

/** Averaged spectra: those before stay in sight until there are some of these. */
function useAveraged(query: {
  queryKey: readonly unknown[];
  queryFn: (context: QueryFunctionContext) => Promise<Averaged | null>;
}): Shown<Averaged> {
  const { data, error, isPlaceholderData } = useQuery({ ...query, placeholderData: (before) => before });
  const [soFar] = useSoFar<Averaged>([query.queryKey]);
  return { data: (isPlaceholderData ? (soFar ?? data) : data) ?? soFar, problem: error ? sentenceOf(error) : null };
}

/** Where a pair's difference stands out, with a gain on Here. */
export const heardQuery = (
  { pair, region }: Explained,
  gainDb: number | null,
  playbackSplDb: number,
  rank: Rank = "normal",
) => ({
  queryKey: ["over mask", ...pairKey(pair), regionKey(region), gainDb?.toFixed(2), playbackSplDb],
  queryFn: ({ signal }: QueryFunctionContext) => heardOf(pair, region, gainDb ?? 0, playbackSplDb, { signal, rank }),
  enabled: gainDb !== null,
});

/** Where the pair's difference stands out, with the match's gain between the two. */
export function useHeard(explained: Explained, gainDb: number | null, playbackSplDb: number): Shown<Heard> {
  const { data = null, error } = useQuery(heardQuery(explained, gainDb, playbackSplDb));
  return { data, problem: error ? sentenceOf(error) : null };
}
