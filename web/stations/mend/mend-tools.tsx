'use client'
import { useEffect, useMemo } from 'react'
import { DrawOverlay } from '@/components/draw-overlay'
import { positiveNumber } from '@/components/ui'
import { paintArea } from '@/lib/areas'
import { geometry } from '@/lib/geometry'
import { attemptInTurn, useDesk } from '@/lib/store'
import type { Ray, StagePin, StagePlane } from '@/stage/stage'
import type { PartTool, SpotKind } from './desk'
import { faultsOf, handlesOf, holesOf, rimLines } from './holes'
import { paintHands } from './hands'
import { paintPart, outlinePart } from './point-at-part'

const INK = '#23272B'
const WOAD = '#356A8F'
const MADDER = '#9E3340'
/** More marks than this hide what they mark. */
const MAX_MARKED = 20

/** Tools that click. */
const isSpots = (tool: PartTool | null): tool is SpotKind => tool === 'spots' || tool === 'patch' || tool === 'part'

/** Lays on the skin where holes are, what is to be cut out and where it is to be cut; takes clicks while spots are chosen. */
export function MendTools() {
  const mesh = useDesk((d) => d.state.mesh)
  const tool = useDesk((d) => d.partTool)
  const radiusMm = positiveNumber(useDesk((d) => d.partMm))
  const spots = useDesk((d) => d.spots)
  const shown = useDesk((d) => d.holeShown)
  const plane = useDesk((d) => d.meshPlane)
  const brush = useDesk((d) => d.areaBrush)
  const hand = useDesk((d) => d.handBrush)
  const isLive = useDesk((d) => d.skinLive !== null)
  const handMm = positiveNumber(useDesk((d) => d.handMm))
  const fault = useDesk((d) => d.faultShown)
  const from = useDesk((d) => d.bridgeFrom)
  const limitMm = positiveNumber(useDesk((d) => d.rimLimitMm))
  const rimsShown = useDesk((d) => d.rimsShown)
  const handle = useDesk((d) => d.handleShown)
  const goTo = useDesk((d) => d.goTo)
  const set = useDesk((d) => d.set)
  const hash = mesh?.shape.hash
  const holes = useMemo(() => (mesh ? holesOf(mesh.chain) : []), [mesh])
  const faults = useMemo(() => (mesh ? faultsOf(mesh.chain) : []), [mesh])
  const lines = useMemo(() => {
    const lit = holes.filter(
      (h, i) => i === shown || i === from || (rimsShown && (limitMm === null || h.perimeterMm <= limitMm * (1 + 1e-9))),
    )
    const loop = handle === null || !mesh ? undefined : handlesOf(mesh.chain)[handle]
    return lit.length > 0 || loop ? rimLines(loop ? [...lit, loop] : lit) : null
  }, [holes, shown, from, rimsShown, limitMm, handle, mesh])
  const hands = useMemo(paintHands, [])
  useEffect(() => {
    if (!hash) return
    const pick = (ray: Ray): Promise<void> =>
      attemptInTurn(async () => {
        const hit = await geometry(hash).pick(hash, ray.origin, ray.direction, ray.radiusMm)
        if (!hit) throw new Error('There is no surface under the click; click on the piece itself.')
        set({ spots: [...useDesk.getState().spots, hit.at], drawn: null })
      })
    const paint = (ray: Ray): Promise<void> =>
      attemptInTurn(async () => {
        const { areaBrush, areaBrushMm } = useDesk.getState()
        const radiusMm = positiveNumber(areaBrushMm)
        if (!areaBrush || radiusMm === null) throw new Error('The brush must be wider than 0 mm.')
        const hit = await geometry(hash).pick(hash, ray.origin, ray.direction, ray.radiusMm)
        const normal = hit && (await geometry(hash).normal(hash, ray.origin, ray.direction))
        if (!normal) throw new Error('There is no surface under the click; click on the piece itself.')
        await paintArea(areaBrush.area, hit.at, normal, radiusMm)
      })
    const pins: StagePin[] = [
      ...holes.slice(0, MAX_MARKED).map(({ middle }, i) => ({
        at: middle,
        text: String(i + 1),
        colour: i === shown ? WOAD : INK,
      })),
      ...faults.slice(0, MAX_MARKED).map(({ at }, i) => ({ at, text: '!', colour: i === fault ? WOAD : MADDER })),
      ...spots.map((at) => ({ at, text: '×', colour: WOAD })),
    ]
    set({
      skinTools: {
        pins,
        onPick: isSpots(tool) ? pick : brush ? paint : null,
        plane,
        lines,
        goTo,
        onPlane: (meshPlane: StagePlane) => set({ meshPlane }),
        overlay: hand
          ? (stage) =>
              isLive && (
                <DrawOverlay
                  stage={stage}
                  tool="brush"
                  onOutline={outlinePart}
                  brush={{ radiusMm: handMm ?? 0, ...hands }}
                />
              )
          : tool === null || isSpots(tool)
            ? null
            : (stage) => (
                <DrawOverlay
                  stage={stage}
                  tool={tool}
                  onOutline={outlinePart}
                  brush={{ radiusMm: radiusMm ?? 0, ...paintPart(hash) }}
                />
              ),
      },
    })
    return () => set({ skinTools: null })
  }, [
    hash,
    holes,
    faults,
    fault,
    lines,
    goTo,
    tool,
    radiusMm,
    spots,
    shown,
    plane,
    brush,
    hand,
    isLive,
    handMm,
    hands,
    set,
  ])
  return null
}
