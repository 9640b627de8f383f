import type { Scene } from 'three'
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js'
import { LineSegments2 } from 'three/examples/jsm/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/examples/jsm/lines/LineSegmentsGeometry.js'

const INDIGO = '#27477a'
const WIDTH_PX = 3
/** Lines lie on the surface; nearer by this they are not lost in it. */
const NEARER = { polygonOffset: true, polygonOffsetFactor: -6, polygonOffsetUnits: -12 } as const

/** Lines over a surface, as wide on the screen whatever the zoom. */
export class EdgeLinesMark {
  private readonly lines: LineSegments2

  /** @param segments pairs of places, six numbers each, mm */
  constructor(
    private readonly scene: Scene,
    readonly segments: Float32Array,
  ) {
    const geometry = new LineSegmentsGeometry()
    geometry.setPositions(segments)
    this.lines = new LineSegments2(geometry, new LineMaterial({ color: INDIGO, linewidth: WIDTH_PX, ...NEARER }))
    scene.add(this.lines)
  }

  dispose(): void {
    this.scene.remove(this.lines)
    this.lines.geometry.dispose()
    this.lines.material.dispose()
  }
}
