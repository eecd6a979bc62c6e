import { type QueryClient, type QueryKey, skipToken, useQueries } from "@tanstack/react-query";
import { useCallback } from "react";

/**
 * What is known so far of long answers lies beside them under keys of its own: were it put in an answer's place, an answer that is given up half way would
 * stand as if it were whole.
 */
const soFarKey = (key: QueryKey): QueryKey => [...key, "so far"];

export const tellSoFar = <T>(client: QueryClient, key: QueryKey, soFar: T): T | undefined =>
  client.setQueryData<T>(soFarKey(key), soFar);

/** What was reported of answers so far, by their keys. */
export function useSoFar<T>(keys: readonly QueryKey[]): (T | null)[] {
  const combine = useCallback(
    (results: { data: unknown }[]): (T | null)[] => results.map(({ data }) => (data as T | undefined) ?? null),
    [],
  );
  return useQueries({ queries: keys.map((key) => ({ queryKey: soFarKey(key), queryFn: skipToken })), combine });
}
