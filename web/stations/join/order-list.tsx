'use client'
import { ArrowDown, ArrowUp, X } from 'lucide-react'
import { useState } from 'react'
import { Choice, IconButton, Plain } from '@/components/ui'
import type { JoinTold } from '@/lib/joining'

type Link = readonly [string, string]
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
  const move = (i: number, by: number): void => {
    const next = [...order]
    const [link] = next.splice(i, 1)
    next.splice(i + by, 0, link)
    setOrder(next)
  }
  const others = figures.pairs.map((p): Link => [p.fixed, p.take]).filter((p) => !order.some((l) => same(l, p)))
  return (
    <div className="mt-2 border-t border-[#e9e3d5] pt-2">
      <p className="text-[13px] text-graphite">Put together in this order:</p>
      <ol className="grid text-[13px]" aria-label="Order of matching">
        {order.map((l, i) => (
          <li key={l.join()} className="flex items-center gap-1">
            <span className="figure w-5 text-graphite">{i + 1}</span>
            <span className="flex-1">
              {l[0]} with {l[1]}
            </span>
            <IconButton name={`Earlier: ${l[0]} with ${l[1]}`} disabled={i === 0} onClick={() => move(i, -1)}>
              <ArrowUp size={14} />
            </IconButton>
            <IconButton
              name={`Later: ${l[0]} with ${l[1]}`}
              disabled={i === order.length - 1}
              onClick={() => move(i, 1)}
            >
              <ArrowDown size={14} />
            </IconButton>
            <IconButton
              name={`Leave to the program: ${l[0]} with ${l[1]}`}
              onClick={() => setOrder(order.filter((_, k) => k !== i))}
            >
              <X size={14} />
            </IconButton>
          </li>
        ))}
      </ol>
      {others.length > 0 && (
        <Choice
          label="Trust another pair"
          value={-1}
          options={[[-1, 'Trust another pair…'], ...others.map((p, i) => [i, `${p[0]} with ${p[1]}`] as const)]}
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
