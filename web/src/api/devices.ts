import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "./client";
import { put } from "./put";
import type { Device, Devices, Holds, Message, Song, SongMessages } from "./types";

/** What gets messages, with the messages that each has by a name. */
export const useDevices = () => useQuery({ queryKey: ["devices"], queryFn: () => api<Devices>("devices/") });

/** What a song sends, in its sections. */
export const useMessages = (song: Song) =>
  useQuery({
    queryKey: ["messages", song.id, song.revision],
    queryFn: ({ signal }) => api<SongMessages>(`songs/${song.id}/messages/`, "GET", undefined, signal),
    placeholderData: (before) => before,
  });

/** What every device has been brought to at a bar of a step. */
export const useHolds = (song: Song, form: string, step: number, bar: number) =>
  useQuery({
    queryKey: ["messages", song.id, song.revision, "holds", form, step, bar],
    queryFn: ({ signal }) =>
      api<Holds>(`songs/${song.id}/holds/?form=${form}&step=${step}&bar=${bar}`, "GET", undefined, signal),
    enabled: step >= 0,
  });

type Change =
  | { put: Partial<Device> }
  | { named: (messages: Device["messages"]) => Device["messages"]; of: string }
  | { takeOut: string }
  | { list: string; of: string }
  | { travel: "undo" | "redo" };

function asked(change: Change, known: Devices | undefined): Promise<Devices> {
  if ("put" in change) return api("devices/", "POST", change.put);
  if ("named" in change) {
    const now = known?.devices.find((d) => d.id === change.of)?.messages ?? [];
    return api("devices/", "POST", { id: change.of, messages: change.named(now) });
  }
  if ("takeOut" in change) return api(`devices/${change.takeOut}/`, "DELETE");
  if ("list" in change) return api(`devices/${change.of}/list/`, "POST", { text: change.list });
  return api(`devices/${change.travel}/`, "POST");
}

/** Changes devices, one change after the other; the answer is how they are then. */
export function useDevicesChange() {
  const client = useQueryClient();
  return useMutation({
    scope: { id: "devices" },
    mutationFn: (change: Change) => asked(change, client.getQueryData<Devices>(["devices"])),
    onSuccess: (now) => {
      put(client, ["devices"], now);
      void client.invalidateQueries({ queryKey: ["messages"] });
    },
  });
}

/** Sends a message to a device at once. */
export const useSendNow = () =>
  useMutation({
    mutationFn: ({ device, send }: { device: string; send: Message["send"] }) =>
      api(`devices/${device}/send/`, "POST", { send }),
  });
