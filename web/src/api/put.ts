import type { QueryClient, QueryKey, Updater } from "@tanstack/react-query";

/**
 * Puts what a change answered where pages read it. What is being read meanwhile may be older than the change, and
 * would take its place: it is asked for once more, and the first answer is not taken.
 */
export function put<T>(client: QueryClient, queryKey: QueryKey, now: Updater<T | undefined, T | undefined>) {
  client.setQueryData<T>(queryKey, now);
  if (client.isFetching({ queryKey, exact: true }) > 0)
    void client.invalidateQueries({ queryKey, exact: true, refetchType: "all" });
}
