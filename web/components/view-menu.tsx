'use client'
import { Box } from 'lucide-react'
import type { Side } from '@/stage/stage'
import { IconButton, Menu } from './ui'

const SIDES: readonly (readonly [Side, string])[] = [
  ['front', 'From the front'],
  ['back', 'From behind'],
  ['left', 'From the left'],
  ['right', 'From the right'],
  ['top', 'From above'],
  ['underneath', 'From below'],
]

/** Ways to look at what is on a stage. */
export function ViewMenu({
  look,
  fit,
  back,
  square,
}: {
  look: (side: Side) => void
  fit: () => void
  back: () => void
  square?: () => void
}) {
  return (
    <div className="absolute top-3 right-3.5">
      <Menu
        items={[
          ...SIDES.map(([side, name]) => ({ name, run: () => look(side) })),
          ...(square ? [{ name: 'Square to a place…', run: square }] : []),
          { name: 'Fit everything in', run: fit },
          { name: 'Back to the view before', run: back },
        ]}
      >
        <IconButton name="View" className="h-8 w-8 border border-hair bg-card">
          <Box size={16} />
        </IconButton>
      </Menu>
    </div>
  )
}
