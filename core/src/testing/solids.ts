import { faceCross } from '../linear/face-cross'
import { seededRandom } from '../linear/random'
import type { PointCloud, TriangleMesh } from '../shapes'

/** Solids with closed forms for area and volume, for tests. */

const mesh = (positions: readonly number[], faces: readonly number[]): TriangleMesh => ({
  kind: 'mesh',
  positions: Float32Array.from(positions),
  indices: Uint32Array.from(faces),
})

/** Splits polygons, given outward, into fans. */
function fans(polygons: readonly (readonly number[])[]): number[] {
  return polygons.flatMap((p) => p.slice(2).flatMap((c, i) => [p[0], p[i + 1], c]))
}

export function cube(edge = 1): TriangleMesh {
  const e = edge
  return mesh(
    [0, 0, 0, e, 0, 0, e, e, 0, 0, e, 0, 0, 0, e, e, 0, e, e, e, e, 0, e, e],
    fans([
      [0, 3, 2, 1],
      [4, 5, 6, 7],
      [0, 1, 5, 4],
      [1, 2, 6, 5],
      [2, 3, 7, 6],
      [3, 0, 4, 7],
    ]),
  )
}

export function tetrahedron(): TriangleMesh {
  return mesh([1, 1, 1, 1, -1, -1, -1, 1, -1, -1, -1, 1], [0, 1, 2, 0, 3, 1, 0, 2, 3, 1, 3, 2])
}

export function octahedron(): TriangleMesh {
  return mesh(
    [1, 0, 0, -1, 0, 0, 0, 1, 0, 0, -1, 0, 0, 0, 1, 0, 0, -1],
    [0, 2, 4, 2, 1, 4, 1, 3, 4, 3, 0, 4, 2, 0, 5, 1, 2, 5, 3, 1, 5, 0, 3, 5],
  )
}

const PHI = (1 + Math.sqrt(5)) / 2

/** Edge 2. */
export function icosahedron(): TriangleMesh {
  const p = PHI
  return mesh(
    [
      -1,
      p,
      0,
      1,
      p,
      0,
      -1,
      -p,
      0,
      1,
      -p,
      0,
      0,
      -1,
      p,
      0,
      1,
      p,
      0,
      -1,
      -p,
      0,
      1,
      -p,
      p,
      0,
      -1,
      p,
      0,
      1,
      -p,
      0,
      -1,
      -p,
      0,
      1,
    ],
    [
      0, 11, 5, 0, 5, 1, 0, 1, 7, 0, 7, 10, 0, 10, 11, 1, 5, 9, 5, 11, 4, 11, 10, 2, 10, 7, 6, 7, 1, 8, 3, 9, 4, 3, 4,
      2, 3, 2, 6, 3, 6, 8, 3, 8, 9, 4, 9, 5, 2, 4, 11, 6, 2, 10, 8, 6, 7, 9, 8, 1,
    ],
  )
}

/** Dual of the icosahedron: a vertex at each face's middle. Edge 2/φ when drawn on the cube of half edge 1. */
export function dodecahedron(): TriangleMesh {
  const a = 1 / PHI
  const b = PHI
  const v = [
    [1, 1, 1],
    [1, 1, -1],
    [1, -1, 1],
    [1, -1, -1],
    [-1, 1, 1],
    [-1, 1, -1],
    [-1, -1, 1],
    [-1, -1, -1],
    [0, a, b],
    [0, a, -b],
    [0, -a, b],
    [0, -a, -b],
    [a, b, 0],
    [a, -b, 0],
    [-a, b, 0],
    [-a, -b, 0],
    [b, 0, a],
    [b, 0, -a],
    [-b, 0, a],
    [-b, 0, -a],
  ]
  const polygons = [
    [0, 8, 10, 2, 16],
    [0, 16, 17, 1, 12],
    [0, 12, 14, 4, 8],
    [1, 17, 3, 11, 9],
    [1, 9, 5, 14, 12],
    [2, 10, 6, 15, 13],
    [2, 13, 3, 17, 16],
    [3, 13, 15, 7, 11],
    [4, 14, 5, 19, 18],
    [4, 18, 6, 10, 8],
    [5, 9, 11, 7, 19],
    [6, 18, 19, 7, 15],
  ]
  return mesh(v.flat(), fans(polygons))
}

/** Torus round z; radii R and r, with nu × nv quads. */
export function torus(R: number, r: number, nu: number, nv: number): TriangleMesh {
  const p: number[] = []
  const f: number[] = []
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) {
      const u = (2 * Math.PI * i) / nu,
        v = (2 * Math.PI * j) / nv
      p.push((R + r * Math.cos(v)) * Math.cos(u), (R + r * Math.cos(v)) * Math.sin(u), r * Math.sin(v))
      const a = i * nv + j,
        b = ((i + 1) % nu) * nv + j,
        c = ((i + 1) % nu) * nv + ((j + 1) % nv),
        d = i * nv + ((j + 1) % nv)
      f.push(a, b, c, a, c, d)
    }
  return mesh(p, f)
}

/**
 * Even points on a sphere (Fibonacci lattice: Swinbank and Purser 2006), with outward normals and seeded radial noise.
 */
export function spherePoints(radius: number, n: number, noise = 0, seed = 1): PointCloud {
  const random = seededRandom(seed)
  const positions = new Float32Array(n * 3)
  const normals = new Float32Array(n * 3)
  for (let i = 0; i < n; i++) {
    const z = 1 - (2 * i + 1) / n
    const s = Math.sqrt(1 - z * z)
    const a = i * Math.PI * (3 - Math.sqrt(5))
    const d = [s * Math.cos(a), s * Math.sin(a), z]
    const r = radius + noise * random.gaussian()
    for (let c = 0; c < 3; c++) {
      positions[i * 3 + c] = r * d[c]
      normals[i * 3 + c] = d[c]!
    }
  }
  return { kind: 'cloud', positions, normals }
}

/** Seeded points in a box. */
export function boxPoints(n: number, size: readonly [number, number, number], seed = 1): Float32Array {
  const random = seededRandom(seed)
  return Float32Array.from({ length: n * 3 }, (_, i) => (random.next() - 0.5) * size[i % 3])
}

/** Every face corner as a vertex of its own, as STL has it. */
export function exploded(m: TriangleMesh): TriangleMesh {
  const positions = new Float32Array(m.indices.length * 3)
  m.indices.forEach((v, i) => positions.set(m.positions.subarray(v * 3, v * 3 + 3), i * 3))
  return { kind: 'mesh', positions, indices: Uint32Array.from({ length: m.indices.length }, (_, i) => i) }
}

/** Without the listed faces. */
export function withoutFaces(m: TriangleMesh, faces: readonly number[]): TriangleMesh {
  return { ...m, indices: m.indices.filter((_, i) => !faces.includes(Math.floor(i / 3))) }
}

/** Points spread over a mesh by area, facing as its triangles do, moved along that by noise. */
export function scanOf({ positions: p, indices }: TriangleMesh, count: number, noiseMm = 0, seed = 1): PointCloud {
  const random = seededRandom(seed)
  const faces = indices.length / 3
  const sums = new Float64Array(faces + 1),
    facing = new Float64Array(faces * 3),
    cross = new Float64Array(3)
  for (let f = 0; f < faces; f++) {
    const area = faceCross(p, indices[f * 3] * 3, indices[f * 3 + 1] * 3, indices[f * 3 + 2] * 3, cross)
    sums[f + 1] = sums[f] + area
    for (let c = 0; c < 3; c++) facing[f * 3 + c] = cross[c] / (area || 1)
  }
  const positions = new Float32Array(count * 3),
    normals = new Float32Array(count * 3)
  for (let i = 0; i < count; i++) {
    const wanted = random.next() * sums[faces]
    let low = 0,
      high = faces
    while (high - low > 1) {
      const middle = (low + high) >> 1
      if (sums[middle] <= wanted) low = middle
      else high = middle
    }
    let u = random.next(),
      v = random.next()
    if (u + v > 1) {
      u = 1 - u
      v = 1 - v
    }
    const off = noiseMm > 0 ? noiseMm * random.gaussian() : 0
    const [a, b, d] = [0, 1, 2].map((k) => indices[low * 3 + k] * 3)
    for (let c = 0; c < 3; c++) {
      const n = facing[low * 3 + c]
      positions[i * 3 + c] = p[a + c] + u * (p[b + c] - p[a + c]) + v * (p[d + c] - p[a + c]) + off * n
      normals[i * 3 + c] = n
    }
  }
  return { kind: 'cloud', positions, normals }
}

/** A beam with an L as its profile: two bars of `thick` by `long`, pushed out by `depth`. Sampled, not closed up. */
export function angleBeam(long: number, thick: number, depth: number): TriangleMesh {
  const outline = [
    [0, 0],
    [long, 0],
    [long, thick],
    [thick, thick],
    [thick, long],
    [0, long],
  ]
  const n = outline.length
  const positions = [0, depth].flatMap((z) => outline.flatMap(([x, y]) => [x, y, z]))
  const sides = outline.map((_, i) => [i, (i + 1) % n, n + ((i + 1) % n), n + i])
  // The profile bends inwards at its fourth corner, from which its fan sees all.
  const top = [3, 4, 5, 0, 1, 2].map((i) => n + i),
    bottom = [3, 2, 1, 0, 5, 4]
  return mesh(positions, fans([...sides, top, bottom]))
}

/** A round rod standing on z = 0, its ends flat, of about even triangles of so long an edge. */
export function rod(radius: number, height: number, edge: number): TriangleMesh {
  const around = Math.ceil((2 * Math.PI * radius) / edge),
    up = Math.ceil(height / edge),
    inwards = Math.ceil(radius / edge)
  const rings: [number, number][] = []
  for (let i = 1; i < inwards; i++) rings.push([(radius * i) / inwards, 0])
  for (let i = 0; i <= up; i++) rings.push([radius, (height * i) / up])
  for (let i = inwards - 1; i > 0; i--) rings.push([(radius * i) / inwards, height])
  const places = [0, 0, 0]
  rings.forEach(([r, z], k) => {
    for (let i = 0; i < around; i++) {
      const turn = (2 * Math.PI * (i + (k % 2) / 2)) / around
      places.push(r * Math.cos(turn), r * Math.sin(turn), z)
    }
  })
  places.push(0, 0, height)
  const last = places.length / 3 - 1
  const at = (k: number, i: number): number => 1 + k * around + (i % around)
  const faces: number[] = []
  for (let i = 0; i < around; i++) {
    faces.push(0, at(0, i + 1), at(0, i), last, at(rings.length - 1, i), at(rings.length - 1, i + 1))
    for (let k = 0; k + 1 < rings.length; k++) {
      const shift = k % 2
      faces.push(at(k, i), at(k, i + 1), at(k + 1, i + shift), at(k, i + 1 - shift), at(k + 1, i + 1), at(k + 1, i))
    }
  }
  return { kind: 'mesh', positions: Float32Array.from(places), indices: Uint32Array.from(faces) }
}
