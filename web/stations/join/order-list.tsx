'use client'
import { arrayMove } from '@dnd-kit/sortable'
import { ArrowDown, ArrowUp, X } from 'lucide-react'
import { useState } from 'react'
import { Choice, IconButton, Plain, SortableList } from '@/components/ui'
import type { JoinTold } from '@/lib/joining'

type Link = readonly [string, string]
const words = ([a, b]: Link): string => `${a} with ${b}`
const moved = (order: readonly Link[], from: number, to: number): Link[] => arrayMove([...order], from, to)
const same = (a: Link, b: Link): boolean => (a[0] === b[0] && a[1] === b[1]) || (a[0] === b[1] && a[1] === b[0])

/** The pairs takes were put together by, in order; a person may trust others first and match again. */
export function OrderList({
  figures,
  disabled,
  onMatch,
}: {
  figures: JoinTold
  disabled: boolean
  onMatch: (first: Link[]) => void
}) {
  const [order, setOrder] = useState<readonly Link[]>(figures.links)
  const changed = order.length !== figures.links.length || order.some((l, i) => !same(l, figures.links[i]))
  const others = figures.pairs.map((p): Link => [p.fixed, p.take]).filter((p) => !order.some((l) => same(l, p)))
  return (
    <div className="mt-2 border-t border-rule pt-2">
      <p className="text-[13px] text-graphite">Put together in this order:</p>
      <SortableList
        label="Order of matching"
        items={order}
        keyOf={(l) => l.join('\n')}
        nameOf={(l) => `Move ${words(l)}`}
        onMove={(from, to) => setOrder(moved(order, from, to))}
      >
        {(l, i) => (
          <>
            <span className="figure w-5 text-graphite">{i + 1}</span>
            <span className="flex-1">{words(l)}</span>
            <IconButton
              name={`Earlier: ${words(l)}`}
              disabled={i === 0}
              onClick={() => setOrder(moved(order, i, i - 1))}
            >
              <ArrowUp size={14} />
            </IconButton>
            <IconButton
              name={`Later: ${words(l)}`}
              disabled={i === order.length - 1}
              onClick={() => setOrder(moved(order, i, i + 1))}
            >
              <ArrowDown size={14} />
            </IconButton>
            <IconButton
              name={`Leave to the program: ${words(l)}`}
              onClick={() => setOrder(order.filter((_, k) => k !== i))}
            >
              <X size={14} />
            </IconButton>
          </>
        )}
      </SortableList>
      {others.length > 0 && (
        <Choice
          label="Trust another pair"
          value={-1}
          options={[[-1, 'Trust another pair…'], ...others.map((p, i) => [i, words(p)] as const)]}
          onChange={(i) => i >= 0 && setOrder([...order, others[i]])}
          className="mt-1 w-full"
        />
      )}
      {changed && (
        <div className="mt-2 grid grid-cols-2 gap-2">
          <Plain disabled={disabled} onClick={() => onMatch([...order])}>
            Match in this order
          </Plain>
          <Plain onClick={() => setOrder(figures.links)}>As it was</Plain>
        </div>
      )}
    </div>
  )
}
