import type { Entry, EntryChange } from "@/api/types";

type Stored = Pick<Entry, "song" | "form" | "link" | "link_seconds" | "call_title" | "note" | "interval_minutes"> & {
  id?: string;
};

/** What is sent of an entry: what was chosen, without what the server worked out. */
export function bare({ id, song, form, link, link_seconds, call_title, note, interval_minutes }: Stored): EntryChange {
  return { ...(id && { id }), song, form, link, link_seconds, call_title, note, interval_minutes };
}
