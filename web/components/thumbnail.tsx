'use client'
import { useEffect, useRef, useState } from 'react'
import { sketchOf, type StandInSketch } from '@/lib/stand-in-sketch'

/** Nothing of it was taken. */
const GHOST = '#B9B09B'

/** A small picture of a shape from a few thousand of its points, splatted back to front in its pigment. */
export function Thumbnail({
  hash,
  colour,
  width,
  height,
  className = '',
  standIn,
}: {
  hash: string | null
  colour: string
  width: number
  height: number
  className?: string
  /** What stands in for the piece while there is no shape of it. */
  standIn?: StandInSketch | null
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const [near, setNear] = useState(false)
  useEffect(() => {
    const watch = new IntersectionObserver(([entry]) => entry.isIntersecting && setNear(true), { rootMargin: '300px' })
    watch.observe(canvas.current!)
    return () => watch.disconnect()
  }, [])
  const sketch = hash === null && standIn ? JSON.stringify(standIn) : ''
  useEffect(() => {
    const g = canvas.current!.getContext('2d')!
    g.clearRect(0, 0, width * 2, height * 2)
    if (sketch !== '') {
      const { positions, normals } = sketchOf(JSON.parse(sketch) as StandInSketch)
      paint(g, positions, normals, GHOST, width * 2, height * 2)
    }
    if (!hash || !near) return
    let current = true
    fetch(`/api/shapes/${hash}?as=thumb`).then(
      async (r) => {
        if (!r.ok || !current) return
        const buffer = await r.arrayBuffer()
        const n = buffer.byteLength / 9
        paint(g, new Int16Array(buffer, 0, n * 3), new Int8Array(buffer, n * 6, n * 3), colour, width * 2, height * 2)
      },
      () => undefined,
    )
    return () => {
      current = false
    }
  }, [hash, sketch, near, colour, width, height])
  return (
    <canvas
      ref={canvas}
      width={width * 2}
      height={height * 2}
      style={{ width, height }}
      className={`shrink-0 rounded-[5px] bg-ground ${className}`}
      aria-hidden="true"
    />
  )
}

function paint(
  g: CanvasRenderingContext2D,
  p: Int16Array,
  normals: Int8Array,
  colour: string,
  w: number,
  h: number,
): void {
  const n = p.length / 3
  const rgb = [1, 3, 5].map((i) => parseInt(colour.slice(i, i + 2), 16))
  const ca = Math.cos(0.6),
    sa = Math.sin(0.6),
    cb = Math.cos(0.6),
    sb = Math.sin(0.6)
  const order = Array.from({ length: n }, (_, i) => i)
  const depth = (i: number): number => (sa * p[i * 3] + ca * p[i * 3 + 1]) * cb - p[i * 3 + 2] * sb
  order.sort((a, b) => depth(b) - depth(a))
  const dot = Math.max(2, w / 50)
  // As large as most pieces look well, smaller where a tall one would stick out.
  let wide = 1,
    high = 1
  for (let i = 0; i < n; i++) {
    wide = Math.max(wide, Math.abs(ca * p[i * 3] - sa * p[i * 3 + 1]))
    high = Math.max(high, Math.abs((sa * p[i * 3] + ca * p[i * 3 + 1]) * sb + p[i * 3 + 2] * cb))
  }
  const s = Math.min((Math.min(w, h * 1.25) / 32000) * 0.47, (w / 2 - dot) / wide, (h * 0.48 - dot) / high)
  for (const i of order) {
    const x = ca * p[i * 3] - sa * p[i * 3 + 1]
    const y = sa * p[i * 3] + ca * p[i * 3 + 1]
    const light = (-0.4 * normals[i * 3] - 0.35 * normals[i * 3 + 1] + 0.8 * normals[i * 3 + 2]) / 127
    const k = 0.62 + 0.5 * Math.max(0, light)
    g.fillStyle = `rgb(${rgb.map((v) => Math.min(250, v * k + (k > 1 ? 18 : 0)) | 0).join()})`
    g.fillRect(w / 2 + x * s - dot / 2, h * 0.52 - (y * sb + p[i * 3 + 2] * cb) * s - dot / 2, dot, dot)
  }
}
