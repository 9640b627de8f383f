'use client'
import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
} from '@dnd-kit/core'
import {
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
  verticalListSortingStrategy,
} from '@dnd-kit/sortable'
import { GripVertical } from 'lucide-react'
import type { ReactNode } from 'react'

/** Pixels a pointer goes before a press is a drag. */
const DRAG_PX = 4

/** A list whose order is changed by dragging a line at its handle; by key: Space, arrows, Space. */
export function SortableList<Item>({
  label,
  items,
  keyOf,
  nameOf,
  onMove,
  children,
}: {
  label: string
  items: readonly Item[]
  keyOf: (item: Item) => string
  /** What the handle is called. */
  nameOf: (item: Item) => string
  onMove: (from: number, to: number) => void
  children: (item: Item, index: number) => ReactNode
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: DRAG_PX } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  )
  const keys = items.map(keyOf)
  const end = ({ active, over }: DragEndEvent): void => {
    const from = keys.indexOf(String(active.id)),
      to = over ? keys.indexOf(String(over.id)) : -1
    if (to >= 0 && from !== to) onMove(from, to)
  }
  return (
    <DndContext id={label} sensors={sensors} collisionDetection={closestCenter} onDragEnd={end}>
      <SortableContext items={keys} strategy={verticalListSortingStrategy}>
        <ol className="grid text-[13px]" aria-label={label}>
          {items.map((item, i) => (
            <Line key={keys[i]} id={keys[i]} name={nameOf(item)}>
              {children(item, i)}
            </Line>
          ))}
        </ol>
      </SortableContext>
    </DndContext>
  )
}

function Line({ id, name, children }: { id: string; name: string; children: ReactNode }) {
  const { setNodeRef, setActivatorNodeRef, attributes, listeners, transform, transition, isDragging } = useSortable({
    id,
  })
  return (
    <li
      ref={setNodeRef}
      style={{ transform: transform ? `translateY(${transform.y}px)` : undefined, transition }}
      className={`flex items-center gap-1 bg-card ${isDragging ? 'z-10 rounded-md shadow-md' : ''}`}
    >
      <button
        ref={setActivatorNodeRef}
        type="button"
        {...attributes}
        {...listeners}
        // Escape puts a line back that hangs in the air; it is nobody else's then.
        onKeyDown={(event) => {
          if (event.key === 'Escape' && isDragging) event.preventDefault()
          listeners?.onKeyDown?.(event)
        }}
        aria-label={name}
        className="grid h-8 w-6 cursor-grab touch-none place-items-center text-graphite hover:text-ink"
      >
        <GripVertical size={14} aria-hidden="true" />
      </button>
      {children}
    </li>
  )
}
