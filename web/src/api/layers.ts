import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "./client";
import type { OwnLoopChange, ShelfLoop, Stack } from "./types";

const [LOOPS, STACKS] = [["loops"], ["stacks"]];

/** The loops of the shelf: the band's own, then those that ship. */
export const useLoops = () => useQuery({ queryKey: LOOPS, queryFn: () => api<ShelfLoop[]>("loops/") });
export const useStacks = () => useQuery({ queryKey: STACKS, queryFn: () => api<Stack[]>("stacks/") });

/** Brings own loops, corrects them and takes them from the shelf. */
export function useLoopChanges() {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ queryKey: LOOPS });
  const add = useMutation({
    mutationFn: (file: File) => api<ShelfLoop>(`loops/?${new URLSearchParams({ file: file.name })}`, "POST", file),
    onSuccess,
  });
  const save = useMutation({
    mutationFn: ({ code, ...change }: OwnLoopChange & { code: string }) =>
      api<ShelfLoop>(`loops/${code}/`, "PATCH", change),
    onSuccess,
  });
  const remove = useMutation({ mutationFn: (code: string) => api(`loops/${code}/`, "DELETE"), onSuccess });
  return { add, save, remove };
}

/** Keeps the layers of a song as a stack, and lets a stack go. */
export function useStackChanges() {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ queryKey: STACKS });
  const keep = useMutation({
    mutationFn: (stack: { song: string; name: string }) => api<Stack>("stacks/", "POST", stack),
    onSuccess,
  });
  const remove = useMutation({ mutationFn: (id: string) => api(`stacks/${id}/`, "DELETE"), onSuccess });
  return { keep, remove };
}
