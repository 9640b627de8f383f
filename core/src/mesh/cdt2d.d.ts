declare module 'cdt2d' {
  /** Constrained Delaunay triangulation of points in the plane; triples of numbers of points. */
  export default function cdt2d(
    points: readonly (readonly number[])[],
    edges: readonly (readonly number[])[],
    options?: { delaunay?: boolean; interior?: boolean; exterior?: boolean; infinity?: boolean },
  ): number[][]
}
