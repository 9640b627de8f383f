"""Screened Poisson surface by a general-purpose library (Open3D, Debian's python3-open3d), normals as given. Prints JSON."""
import json
import sys
import time

import open3d as o3d

cloud = o3d.io.read_point_cloud(sys.argv[1])
best = None
for _ in range(3):
    t = time.perf_counter()
    mesh, _density = o3d.geometry.TriangleMesh.create_from_point_cloud_poisson(cloud, depth=int(sys.argv[2]))
    took = time.perf_counter() - t
    best = took if best is None else min(best, took)
o3d.io.write_triangle_mesh(sys.argv[3], mesh)
print(json.dumps({"seconds": best, "faces": len(mesh.triangles)}))
