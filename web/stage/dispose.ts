import type { Mesh, Object3D, Sprite } from 'three'

/* Gives back what is held on the graphics card: what is taken off the stage is not given back by itself. */

export function disposeSprite({ material }: Sprite): void {
  material.map?.dispose()
  material.dispose()
}

/** All under a node. Sprites share one geometry among them, which stays. */
export function disposeGroup(group: Object3D): void {
  group.traverse((o) => {
    if ((o as Sprite).isSprite) return disposeSprite(o as Sprite)
    const { geometry, material } = o as Partial<Mesh>
    geometry?.dispose()
    for (const m of Array.isArray(material) ? material : material ? [material] : []) m.dispose()
  })
}
