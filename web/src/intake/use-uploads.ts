import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef } from "react";

import { api, Refused } from "@/api/client";
import type { Upload } from "@/api/types";
import { useNotices } from "@/ui/notices";

const PIECE = 4 << 20;
const AT_ONCE = 3;
const BUSY = new Set<Upload["status"]>(["sending", "waiting", "reading"]);

export interface Sent {
  file: File;
  stem_name?: string;
  group?: string;
}
const later = new Map<string, Sent[]>();

/** Files for a song whose page is not open yet; it sends them as soon as it is. */
export const sendLater = (song: string, files: Sent[]) => void later.set(song, files);

/** Sends a file from where the server has it, in pieces; `put` is told after each. */
async function sendPieces(id: string, file: File | undefined, put: (upload: Upload) => void) {
  let upload = await api<Upload>(`uploads/${id}/`);
  while (file && upload.status === "sending") {
    const piece = file.slice(upload.received, upload.received + PIECE);
    try {
      upload = await api<Upload>(`uploads/${id}/piece/?offset=${upload.received}`, "PUT", piece);
    } catch (error) {
      // 409 says where the server is; after a break the next piece goes on from there.
      if (error instanceof Refused && error.status === 409 && error.body) upload = error.body as Upload;
      else throw error;
    }
    put(upload);
  }
}

/** The files that this page has, sent a few at a time. */
function useSending(song: string) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const sources = useRef(new Map<string, File>());
  const queue = useRef<string[]>([]);
  const running = useRef(0);
  const put = useCallback(
    (upload: Upload) =>
      client.setQueryData<Upload[]>(["uploads", song], (all) => [
        ...(all ?? []).filter((u) => u.id !== upload.id),
        upload,
      ]),
    [client, song],
  );

  const pump = useCallback(() => {
    while (running.current < AT_ONCE) {
      const id = queue.current.shift();
      if (id === undefined) return;
      running.current += 1;
      void sendPieces(id, sources.current.get(id), put)
        .catch(complain)
        .finally(() => {
          running.current -= 1;
          void client.invalidateQueries({ queryKey: ["uploads", song] });
          // eslint-disable-next-line react-hooks/immutability -- called when a file is through, long after it is there
          pump();
        });
    }
  }, [client, complain, put, song]);

  const begin = useCallback(
    (upload: Upload, file?: File) => {
      if (file) sources.current.set(upload.id, file);
      put(upload);
      queue.current.push(upload.id);
      pump();
    },
    [pump, put],
  );
  /** Whether this page still has the file, so that a broken sending can go on. */
  const has = useCallback((id: string) => sources.current.has(id), []);
  return { put, begin, has };
}

type Sending = ReturnType<typeof useSending>;

/** Files for the song; one whose sending broke off goes on where it was. */
function useAdd(song: string, begin: Sending["begin"], has: Sending["has"]) {
  const client = useQueryClient();
  const { complain } = useNotices();
  return useCallback(
    async (files: (File | Sent)[]) => {
      for (const one of files) {
        const { file, ...named } = one instanceof File ? { file: one } : one;
        const known = client
          .getQueryData<Upload[]>(["uploads", song])
          ?.find((u) => u.name === file.name && u.size === file.size && u.status === "sending" && !has(u.id));
        try {
          begin(
            known ?? (await api<Upload>("uploads/", "POST", { song, name: file.name, size: file.size, ...named })),
            file,
          );
        } catch (error) {
          complain(error);
        }
      }
    },
    [begin, client, complain, has, song],
  );
}

/** Sends files in pieces, a few at a time, and follows each until it is a stem or was refused. */
export function useUploads(song: string) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const { put, begin, has } = useSending(song);
  const list = useQuery({
    queryKey: ["uploads", song],
    queryFn: () => api<Upload[]>(`uploads/?song=${song}`),
    refetchInterval: ({ state }) => (state.data?.some((u) => BUSY.has(u.status)) ? 400 : false),
    staleTime: 0,
  });

  const finished = list.data?.filter((u) => u.status === "done").length ?? 0;
  useEffect(() => {
    void client.invalidateQueries({ queryKey: ["song", song] });
  }, [client, song, finished]);

  const add = useAdd(song, begin, has);
  useEffect(() => {
    const files = later.get(song);
    later.delete(song);
    if (files) void add(files);
  }, [add, song]);

  // The same object as long as nothing changed, so that components that show it need not re-render.
  return useMemo(() => {
    const cancel = (id: string) =>
      void api<Upload>(`uploads/${id}/cancel/`, "POST").then(
        () => client.invalidateQueries({ queryKey: ["uploads", song] }),
        complain,
      );
    const retry = (id: string) =>
      void api<Upload>(`uploads/${id}/retry/`, "POST").then((upload) => {
        if (upload.status === "sending") begin(upload);
        else put(upload);
      }, complain);
    const uploads = (list.data ?? []).filter((u) => u.status !== "done");
    return { uploads, add, cancel, retry, has, busy: uploads.some((u) => BUSY.has(u.status)) };
  }, [client, song, complain, put, begin, has, list.data, add]);
}

export type Uploads = ReturnType<typeof useUploads>;
