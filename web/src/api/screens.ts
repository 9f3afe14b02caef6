import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "./client";
import type { ScreenFile } from "./types";

const KEY = ["screen-files"];

/** The films and pictures of the band. */
export const useScreenFiles = () => useQuery({ queryKey: KEY, queryFn: () => api<ScreenFile[]>("screen-files/") });

/** Brings films and pictures, and takes them out. */
export function useScreenFileChanges() {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ queryKey: KEY });
  const add = useMutation({
    mutationFn: (file: File) =>
      api<ScreenFile>(`screen-files/?${new URLSearchParams({ file: file.name })}`, "POST", file),
    onSuccess,
  });
  const remove = useMutation({ mutationFn: (id: string) => api(`screen-files/${id}/`, "DELETE"), onSuccess });
  return { add, remove };
}
