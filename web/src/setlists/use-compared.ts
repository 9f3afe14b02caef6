import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "@/api/client";
import type { KeptList, Setlist, SetlistCompared } from "@/api/types";
import { put } from "@/api/put";
import { useNotices } from "@/ui/notices";

export const useKept = (setlist: Setlist) =>
  useQuery({
    queryKey: ["setlist-kept", setlist.id, setlist.revision],
    queryFn: () => api<KeptList>(`setlists/${setlist.id}/kept/`),
  });

/** How a setlist differs from a state of it, or from another one. */
export const useCompared = (setlist: Setlist, way: string) =>
  useQuery({
    queryKey: ["setlist-compared", setlist.id, setlist.revision, way],
    queryFn: () => api<SetlistCompared>(`setlists/${setlist.id}/compared/?${new URLSearchParams({ with: way })}`),
    enabled: way !== "",
  });

/** Keeping a state, deleting one, bringing one back. */
export function useKeptActs(setlist: Setlist) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const path = `setlists/${setlist.id}/`;
  const took = (list: KeptList) => put(client, ["setlist-kept", setlist.id, setlist.revision], list);
  const keep = useMutation({
    mutationFn: (name: string) => api<KeptList>(`${path}kept/`, "POST", { name }),
    onSuccess: took,
    onError: complain,
  });
  const forget = useMutation({
    mutationFn: (way: string) => api<KeptList>(`${path}kept/?${new URLSearchParams({ with: way })}`, "DELETE"),
    onSuccess: took,
    onError: complain,
  });
  const bringBack = useMutation({
    mutationFn: (way: string) => api<Setlist>(`${path}bring-back/`, "POST", { way, revision: setlist.revision }),
    onSuccess: (row) => put<Setlist[]>(client, ["setlists"], (rows) => rows?.map((r) => (r.id === row.id ? row : r))),
    onError: complain,
  });
  return { keep, forget, bringBack };
}
