"""Statistical outliers, normals and even thinning by a general-purpose C++ library (Open3D) on a cloud given as float32 x, y, z.
usage: tidy.py cloud.bin neighbours sigma cell_mm   → JSON: counts and seconds of each step
"""
import json
import sys
import time

import numpy as np
import open3d as o3d

path, neighbours, sigma, cell = sys.argv[1], int(sys.argv[2]), float(sys.argv[3]), float(sys.argv[4])
cloud = o3d.geometry.PointCloud(o3d.utility.Vector3dVector(np.fromfile(path, np.float32).reshape(-1, 3).astype(np.float64)))
out = {"version": o3d.__version__, "points": len(cloud.points)}
start = time.perf_counter()
_, kept = cloud.remove_statistical_outlier(neighbours, sigma)
out["outlierSeconds"] = time.perf_counter() - start
out["inliers"] = len(kept)
if "--list" in sys.argv:
    gone = np.setdiff1d(np.arange(len(cloud.points)), np.asarray(kept))
    out["outliers"] = gone.tolist()
start = time.perf_counter()
cloud.estimate_normals(o3d.geometry.KDTreeSearchParamKNN(neighbours))
out["normalSeconds"] = time.perf_counter() - start
start = time.perf_counter()
out["thinned"] = len(cloud.voxel_down_sample(cell).points)
out["thinSeconds"] = time.perf_counter() - start
print(json.dumps(out))
