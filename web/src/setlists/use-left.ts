import { useQuery } from "@tanstack/react-query";

import { api } from "@/api/client";
import type { Setlist, SetlistLeft } from "@/api/types";

/** What is left to do of a setlist, and the steps from song to song; read again when it changes. */
export const useSetlistLeft = (setlist: Setlist) =>
  useQuery({
    queryKey: ["setlist-left", setlist.id, setlist.revision],
    queryFn: () => api<SetlistLeft>(`setlists/${setlist.id}/to-do/`),
    placeholderData: (before) => before,
    staleTime: 0,
  });
