import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "./client";
import type { CanTravel, DressRun, Folded, WhyShown } from "./types";

/** Whether something of feeds and rigs can be taken back, and done again; and the ways to do it. */
export function useOutputsTravel() {
  const client = useQueryClient();
  const ways = useQuery({ queryKey: ["outputs"], queryFn: () => api<CanTravel>("outputs/") });
  const travel = useMutation({
    mutationFn: (way: "undo" | "redo") => api<CanTravel>(`outputs/${way}/`, "POST"),
    onSuccess: (now) => {
      client.setQueryData(["outputs"], now);
      return Promise.all(["feeds", "rigs"].map((key) => client.invalidateQueries({ queryKey: [key] })));
    },
    onError: () => void client.invalidateQueries({ queryKey: ["outputs"] }),
  });
  return { ways: ways.data, travel };
}

/** What a show becomes on another rig, or on so many plain sockets, and what is lost. */
export const useFolded = (show: string | undefined, rig: string | null, sockets: number) =>
  useQuery({
    queryKey: ["folded", show, rig, sockets],
    queryFn: () => api<Folded>(`shows/${show}/fold-down/`, "POST", { rig, sockets }),
    enabled: show !== undefined,
    staleTime: 0,
  });

/** Takes a show to a rig, wired as it was proposed. */
export function useTakenToRig() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ show, rig }: { show: string; rig: string }) =>
      api<Folded>(`shows/${show}/fold-down/`, "POST", { rig, take: true }),
    onSuccess: () =>
      Promise.all(["rigs", "shows", "outputs"].map((key) => client.invalidateQueries({ queryKey: [key] }))),
  });
}

/** What the newest dress run of a show measured. */
export const useLastDressRun = (show: string) =>
  useQuery({ queryKey: ["dress-run", show], queryFn: () => api<DressRun>(`shows/${show}/dress-run/`) });

/** Why a source is heard at a socket in a bar of a show; without a source all that is heard there. */
export const useWhy = (show: string | undefined, asked: { of: string; socket: number; entry: number; bar: number }) =>
  useQuery({
    queryKey: ["why", show, asked],
    queryFn: ({ signal }) => {
      const { of, socket, entry, bar } = asked;
      const query = new URLSearchParams({ of, socket: String(socket), entry: String(entry), bar: String(bar) });
      return api<WhyShown>(`shows/${show}/why/?${query}`, "GET", undefined, signal);
    },
    enabled: show !== undefined,
    placeholderData: (before) => before,
    retry: false,
    staleTime: 0,
  });
