"""Fewer triangles with a general-purpose library, timed; deviation is measured by the caller.

python3 simplify.py IN.ply FACES OUT.ply
"""
import json
import sys
import time

import open3d as o3d

mesh = o3d.io.read_triangle_mesh(sys.argv[1])
began = time.perf_counter()
out = mesh.simplify_quadric_decimation(int(sys.argv[2]))
seconds = time.perf_counter() - began
o3d.io.write_triangle_mesh(sys.argv[3], out)
print(json.dumps({"seconds": seconds, "faces": len(out.triangles)}))
