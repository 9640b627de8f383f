import {
  BufferGeometry,
  type Camera,
  CanvasTexture,
  Color,
  Float32BufferAttribute,
  Group,
  LinearFilter,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  Sprite,
  SpriteMaterial,
  SRGBColorSpace,
  Vector3,
} from 'three'

/** Colours of the floor's lines, light and heavy, and of its figures. */
export interface FloorInks {
  readonly fine: string
  readonly heavy: string
  readonly text: string
}
const DAY: FloorInks = { fine: '#E4DCCB', heavy: '#CDC3AE', text: '#7B7361' }

/** Every line of the floor is a round number of millimetres; heavy lines carry their distance from the middle. */
export function buildFloor(radiusMm: number, z: number, inks: FloorInks = DAY): Group {
  const group = new Group()
  const fine = niceStep(radiusMm / 14)
  const heavy = fine * 5
  const reach = Math.ceil((radiusMm * 1.5) / heavy) * heavy
  const lines = (step: number, colour: string, skip: number | null): LineSegments => {
    const p: number[] = []
    for (let v = -reach; v <= reach + 1e-6; v += step) {
      if (skip !== null && Math.abs(v / skip - Math.round(v / skip)) < 1e-6) continue
      p.push(v, -reach, 0, v, reach, 0, -reach, v, 0, reach, v, 0)
    }
    const geometry = new BufferGeometry()
    geometry.setAttribute('position', new Float32BufferAttribute(p, 3))
    return new LineSegments(geometry, new LineBasicMaterial({ color: new Color(colour), depthWrite: false }))
  }
  group.add(shadow(radiusMm), lines(fine, inks.fine, heavy), lines(heavy, inks.heavy, null))
  for (let v = -reach + heavy; v < reach; v += heavy) {
    if (v === 0) continue
    group.add(
      label(`${v}`, v, -reach * 1.02, radiusMm, inks.text),
      label(`${v}`, -reach * 1.03, v, radiusMm, inks.text),
    )
  }
  group.position.z = z
  group.renderOrder = -1
  return group
}

/** Edges of the stage on which buttons, scale and the mark for up stand, CSS pixels. */
const KEPT_FREE = { top: 64, bottom: 52, side: 34 } as const

/** Whether a figure of the floor would stand whole and clear of what lies at the stage's edges; x and y from −1 to 1. */
export function standsClear(x: number, y: number, width: number, height: number): boolean {
  const fromLeft = ((x + 1) / 2) * width,
    fromTop = ((1 - y) / 2) * height
  return (
    fromLeft > KEPT_FREE.side &&
    fromLeft < width - KEPT_FREE.side &&
    fromTop > KEPT_FREE.top &&
    fromTop < height - KEPT_FREE.bottom
  )
}

/** Shows the figures of a floor that stand clear as it is seen now, and no others. */
export function clearFigures(floor: Group, camera: Camera, width: number, height: number): void {
  floor.updateMatrixWorld()
  const at = new Vector3()
  for (const o of floor.children) {
    if (!(o as Sprite).isSprite) continue
    at.setFromMatrixPosition(o.matrixWorld).project(camera)
    o.visible = standsClear(at.x, at.y, width, height)
  }
}

/** Gives back what a floor holds on the graphics card; its programs stay, for the next one is drawn with them. */
export function clearFloor(floor: Group): void {
  floor.traverse((o) => {
    const { geometry, material } = o as Mesh
    // Sprites share one geometry among them.
    if (!(o as Sprite).isSprite) geometry?.dispose()
    else (material as unknown as SpriteMaterial).map?.dispose()
  })
}

/** A drawn canvas as a texture with its colours as drawn. */
export function srgbTexture(canvas: HTMLCanvasElement): CanvasTexture {
  const texture = new CanvasTexture(canvas)
  texture.colorSpace = SRGBColorSpace
  // Drawn about as large as it is shown.
  texture.generateMipmaps = false
  texture.minFilter = LinearFilter
  return texture
}

/** 1, 2 or 5 times a power of ten. */
export function niceStep(about: number): number {
  const power = 10 ** Math.floor(Math.log10(about))
  const lead = about / power
  return (lead < 1.5 ? 1 : lead < 3.5 ? 2 : lead < 7.5 ? 5 : 10) * power
}

/**
 * Darkest in the middle, fading evenly to nothing: light itself, not a picture of it, since a wide picture is slow to
 * draw without a graphics card.
 */
function shadow(radiusMm: number): Mesh {
  const around = 48,
    reach = radiusMm * 1.15
  const dark = new Color('#463822').toArray()
  const positions: number[] = [],
    colours: number[] = [],
    faces: number[] = []
  for (let i = 0; i < around; i++) {
    const a = (2 * Math.PI * i) / around
    for (const [r, alpha] of [
      [reach / 8, 0.3],
      [reach, 0],
    ] as const) {
      positions.push(r * Math.cos(a), r * Math.sin(a), 0)
      colours.push(...dark, alpha)
    }
    const j = ((i + 1) % around) * 2
    faces.push(2 * i, 2 * i + 1, j + 1, 2 * i, j + 1, j)
    if (i > 1) faces.push(0, 2 * i - 2, 2 * i)
  }
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new Float32BufferAttribute(positions, 3))
  geometry.setAttribute('color', new Float32BufferAttribute(colours, 4))
  geometry.setIndex(faces)
  const mesh = new Mesh(geometry, new MeshBasicMaterial({ vertexColors: true, transparent: true, depthWrite: false }))
  mesh.position.z = -0.01 * radiusMm
  return mesh
}

function label(text: string, x: number, y: number, radiusMm: number, ink: string): Sprite {
  const canvas = document.createElement('canvas')
  canvas.width = 128
  canvas.height = 48
  const g = canvas.getContext('2d')!
  g.font = '30px "Spline Sans Mono Variable", monospace'
  g.fillStyle = ink
  g.textAlign = 'center'
  g.textBaseline = 'middle'
  g.fillText(text, 64, 24)
  const sprite = new Sprite(new SpriteMaterial({ map: srgbTexture(canvas), transparent: true, depthWrite: false }))
  sprite.position.set(x, y, 0)
  sprite.scale.set(radiusMm * 0.24, radiusMm * 0.09, 1)
  return sprite
}
