import { type DragEvent, useState } from "react";

import { useNotices } from "@/ui/notices";

import { type Dropped, filesOf } from "./files";

/** Lets files and folders be dropped on a part of the page, which shows that it would take them. */
export function useFileDrop(take: (dropped: Dropped) => void) {
  const { complain } = useNotices();
  const [over, setOver] = useState(false);
  return {
    className: over ? "bg-pinebg outline-2 -outline-offset-4 outline-dashed outline-pine" : "",
    handlers: {
      onDragOver: (e: DragEvent) => {
        if (!e.dataTransfer.types.includes("Files")) return;
        e.preventDefault();
        setOver(true);
      },
      onDragLeave: (e: DragEvent) => !e.currentTarget.contains(e.relatedTarget as Node | null) && setOver(false),
      onDrop: (e: DragEvent) => {
        e.preventDefault();
        setOver(false);
        void filesOf(e.dataTransfer).then(take).catch(complain);
      },
    },
  };
}
