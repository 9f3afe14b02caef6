import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "./client";
import { put } from "./put";
import type { BindingAsked, Hands, LightRule } from "./types";

/** What every control of the band does. */
export const useHands = () => useQuery({ queryKey: ["hands"], queryFn: () => api<Hands>("hands/") });

type Change =
  | { bind: BindingAsked; takeOver?: boolean }
  | { unbind: string }
  | { light: LightRule }
  | { starter: string; port: string }
  | { file: unknown }
  | { travel: "undo" | "redo" };

function asked(change: Change): Promise<Hands> {
  if ("bind" in change)
    return api("hands/bindings/", "POST", { binding: change.bind, take_over: change.takeOver === true });
  if ("unbind" in change) return api(`hands/bindings/${change.unbind}/`, "DELETE");
  if ("light" in change) return api("hands/lights/", "PUT", change.light);
  if ("starter" in change) return api("hands/starter/", "POST", change);
  if ("file" in change) return api("hands/file/", "POST", change.file);
  return api(`hands/${change.travel}/`, "POST");
}

/** Changes what controls do; the answer is how it stands then. */
export function useHandsChange() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: asked,
    onSuccess: (now) => put(client, ["hands"], now),
    onError: () => void client.invalidateQueries({ queryKey: ["hands"] }),
  });
}
