import { BoxGeometry, Group, Mesh, MeshBasicMaterial, Sprite, SpriteMaterial, Texture } from 'three'
import { expect, test } from 'vitest'
import { disposeGroup } from './dispose'

test('all of a group is given back: shapes, materials, the textures of sprites; what sprites share stays', () => {
  const gone: string[] = []
  const hear = <T extends { addEventListener(type: 'dispose', f: () => void): void }>(name: string, it: T): T => {
    it.addEventListener('dispose', () => void gone.push(name))
    return it
  }
  const sprite = new Sprite(hear('sprite’s material', new SpriteMaterial({ map: hear('texture', new Texture()) })))
  hear('sprites’ shape', sprite.geometry)
  const mesh = new Mesh(hear('shape', new BoxGeometry()), [
    hear('one material', new MeshBasicMaterial()),
    hear('another', new MeshBasicMaterial()),
  ])
  disposeGroup(new Group().add(sprite, new Group().add(mesh)))
  expect(gone).toEqual(['texture', 'sprite’s material', 'shape', 'one material', 'another'])
})
