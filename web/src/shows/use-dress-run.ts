import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "@/api/client";
import type { DressRun } from "@/api/types";
import { put } from "@/api/put";
import { useNotices } from "@/ui/notices";

const OFTEN = 500;

/** The dress run of a show; asked for often while one is under way. */
export const useDressRun = (show: string) =>
  useQuery({
    queryKey: ["dress-run", show],
    queryFn: () => api<DressRun>(`shows/${show}/dress-run/`),
    refetchInterval: ({ state }) => (state.data?.state === "working" ? OFTEN : false),
  });

/** What is done with a dress run; each answers the run as it is then. */
export function useDressRunActs(show: string) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const took = (run: DressRun) => put(client, ["dress-run", show], run);
  const path = `shows/${show}/dress-run/`;
  const act = <T>(how: (wish: T) => Promise<DressRun>) => ({ mutationFn: how, onSuccess: took, onError: complain });
  const run = useMutation(act(() => api<DressRun>(path, "POST")));
  const callOff = useMutation(act(() => api<DressRun>(path, "DELETE")));
  const leave = useMutation(
    act((wish: { fault: string; reason: string }) => api<DressRun>(`${path}leave/`, "POST", wish)),
  );
  const mend = useMutation({
    ...act((fault: string) => api<DressRun>(`${path}mend/`, "POST", { fault })),
    onSettled: () => client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== "dress-run" }),
  });
  return { run, callOff, leave, mend };
}
