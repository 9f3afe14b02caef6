import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "./client";
import { put } from "./put";
import type { CanTravel, DressRun, Feed, Folded, InMono, WhyNow, WhyShown } from "./types";

/** Whether something of feeds and rigs can be taken back, and done again; and the ways to do it. */
export function useOutputsTravel() {
  const client = useQueryClient();
  const ways = useQuery({ queryKey: ["outputs"], queryFn: () => api<CanTravel>("outputs/") });
  const travel = useMutation({
    mutationFn: (way: "undo" | "redo") => api<CanTravel>(`outputs/${way}/`, "POST"),
    onSuccess: (now) => {
      put(client, ["outputs"], now);
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

/** Why a source is heard at a socket at this moment on the stage, or not. `moment`: asked anew when it is another one. */
export const useWhyNow = (asked: { of: string; socket: number }, moment: string) =>
  useQuery({
    queryKey: ["why-now", asked, moment],
    queryFn: ({ signal }) => {
      const query = new URLSearchParams({ of: asked.of, socket: String(asked.socket) });
      return api<WhyNow>(`engine/why/?${query}`, "GET", undefined, signal);
    },
    placeholderData: (before) => before,
    retry: false,
    staleTime: 0,
    gcTime: 0,
  });

/** The stems of a show that are softer in the house on its rig than in stereo. */
export const useInMono = (show: string) =>
  useQuery({ queryKey: ["in-mono", show], queryFn: () => api<InMono>(`shows/${show}/in-mono/`, "POST"), staleTime: 0 });

/** More of what stands in for its player in a mix. */
export function useMoreMe() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (feed: string) => api<Feed>(`feeds/${feed}/more-me/`, "POST"),
    onSuccess: () => Promise.all(["feeds", "outputs"].map((key) => client.invalidateQueries({ queryKey: [key] }))),
  });
}
