import { BufferGeometry, CanvasTexture, Color, Float32BufferAttribute, Group, LineBasicMaterial, LineSegments, Mesh, MeshBasicMaterial, PlaneGeometry, Sprite, SpriteMaterial, SRGBColorSpace } from 'three'

/** Every line of the floor is a round number of millimetres; heavy lines carry their distance from the middle. */
export function buildFloor(radiusMm: number, z: number): Group {
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
  group.add(shadow(radiusMm), lines(fine, '#E4DCCB', heavy), lines(heavy, '#CDC3AE', null))
  for (let v = -reach + heavy; v < reach; v += heavy) {
    if (v === 0) continue
    group.add(label(`${v}`, v, -reach * 1.02, radiusMm), label(`${v}`, -reach * 1.03, v, radiusMm))
  }
  group.position.z = z
  group.renderOrder = -1
  return group
}

/** A drawn canvas as a texture with its colours as drawn. */
export function srgbTexture(canvas: HTMLCanvasElement): CanvasTexture {
  const texture = new CanvasTexture(canvas)
  texture.colorSpace = SRGBColorSpace
  return texture
}

/** 1, 2 or 5 times a power of ten. */
export function niceStep(about: number): number {
  const power = 10 ** Math.floor(Math.log10(about))
  const lead = about / power
  return (lead < 1.5 ? 1 : lead < 3.5 ? 2 : lead < 7.5 ? 5 : 10) * power
}

function shadow(radiusMm: number): Mesh {
  const canvas = document.createElement('canvas')
  canvas.width = 128
  canvas.height = 128
  const g = canvas.getContext('2d')!
  const gradient = g.createRadialGradient(64, 64, 8, 64, 64, 64)
  gradient.addColorStop(0, 'rgba(70,56,34,0.30)')
  gradient.addColorStop(1, 'rgba(70,56,34,0)')
  g.fillStyle = gradient
  g.fillRect(0, 0, 128, 128)
  const mesh = new Mesh(new PlaneGeometry(radiusMm * 2.3, radiusMm * 2.3), new MeshBasicMaterial({ map: srgbTexture(canvas), transparent: true, depthWrite: false }))
  mesh.position.z = -0.01 * radiusMm
  return mesh
}

function label(text: string, x: number, y: number, radiusMm: number): Sprite {
  const canvas = document.createElement('canvas')
  canvas.width = 128
  canvas.height = 48
  const g = canvas.getContext('2d')!
  g.font = '30px "Spline Sans Mono Variable", monospace'
  g.fillStyle = '#7B7361'
  g.textAlign = 'center'
  g.textBaseline = 'middle'
  g.fillText(text, 64, 24)
  const sprite = new Sprite(new SpriteMaterial({ map: srgbTexture(canvas), transparent: true, depthWrite: false }))
  sprite.position.set(x, y, 0)
  sprite.scale.set(radiusMm * 0.24, radiusMm * 0.09, 1)
  return sprite
}
