import {
  closestCenter,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  type Modifier,
  PointerSensor,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import { SortableContext, sortableKeyboardCoordinates, verticalListSortingStrategy } from "@dnd-kit/sortable";
import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";

type Id = string | number;
// A list has one direction.
const upAndDown: Modifier = ({ transform }) => ({ ...transform, x: 0 });

interface Props {
  ids: Id[];
  /** What an item is called, for those who hear where it goes. */
  named: (id: Id) => string;
  onMove: (from: number, to: number) => void;
  children: ReactNode;
}

/** A list put in order by hand or by key. */
export function Sortable({ ids, named, onMove, children }: Props) {
  const { t } = useTranslation();
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const moved = ({ active, over }: DragEndEvent) => {
    const [from, to] = [ids.indexOf(active.id), over ? ids.indexOf(over.id) : -1];
    if (from >= 0 && to >= 0 && from !== to) onMove(from, to);
  };
  const moving = (id: Id, over?: Id) => ({ title: named(id), place: over === undefined ? 0 : ids.indexOf(over) + 1 });
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      modifiers={[upAndDown]}
      onDragEnd={moved}
      accessibility={{
        screenReaderInstructions: { draggable: t("setlist.dragHelp") },
        announcements: {
          onDragStart: ({ active }) => t("setlist.dragStart", moving(active.id)),
          onDragOver: ({ active, over }) => t("setlist.dragOver", moving(active.id, over?.id)),
          onDragEnd: ({ active, over }) => t("setlist.dragEnd", moving(active.id, over?.id)),
          onDragCancel: ({ active }) => t("setlist.dragCancel", moving(active.id)),
        },
      }}
    >
      <SortableContext items={ids} strategy={verticalListSortingStrategy}>
        {children}
      </SortableContext>
    </DndContext>
  );
}
