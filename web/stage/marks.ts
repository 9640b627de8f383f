import { Sprite, SpriteMaterial, Vector3, type Box3, type Matrix4 } from 'three'
import { srgbTexture } from './floor'

export interface StagePin {
  readonly at: readonly [number, number, number]
  readonly text: string
  readonly colour: string
}

/**
 * The box of the points themselves: that of a turned box would be too large, and the floor would hang below the piece.
 */
export function expandByPoints(box: Box3, p: Float32Array, matrix: Matrix4): void {
  const at = new Vector3()
  const step = 3 * Math.max(1, Math.floor(p.length / 3 / 100_000))
  for (let i = 0; i < p.length; i += step) box.expandByPoint(at.set(p[i], p[i + 1], p[i + 2]).applyMatrix4(matrix))
}

export function pinSprite(pin: StagePin): Sprite {
  const canvas = document.createElement('canvas')
  canvas.width = 68
  canvas.height = 84
  const g = canvas.getContext('2d')!
  g.fillStyle = pin.colour
  g.strokeStyle = '#FBF9F4'
  g.lineWidth = 4
  g.beginPath()
  g.moveTo(34, 82)
  g.lineTo(24, 52)
  g.lineTo(44, 52)
  g.closePath()
  g.fill()
  g.beginPath()
  g.arc(34, 32, 25, 0, Math.PI * 2)
  g.fill()
  g.stroke()
  g.fillStyle = '#FFFFFF'
  g.font = '600 28px "Instrument Sans Variable", sans-serif'
  g.textAlign = 'center'
  g.textBaseline = 'middle'
  g.fillText(pin.text, 34, 34)
  const sprite = new Sprite(new SpriteMaterial({ map: srgbTexture(canvas), transparent: true, depthTest: false }))
  sprite.center.set(0.5, 0.02)
  sprite.position.set(...(pin.at as [number, number, number]))
  sprite.renderOrder = 10
  return sprite
}
