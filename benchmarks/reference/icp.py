"""Point-to-plane ICP, coarse to fine, by a general-purpose library (Open3D, Debian's python3-open3d). Prints JSON."""
import json
import sys
import time

import numpy as np
import open3d as o3d

source = o3d.io.read_point_cloud(sys.argv[1])
target = o3d.io.read_point_cloud(sys.argv[2])
start = np.array(json.load(open(sys.argv[3])))
size = np.linalg.norm(source.get_max_bound() - source.get_min_bound())
best = None
for _ in range(3):
    t = time.perf_counter()
    for cloud in (source, target):
        cloud.estimate_normals(o3d.geometry.KDTreeSearchParamKNN(20))
    motion = start
    for voxel, reach, rounds in ((size / 40, size / 10, 50), (size / 100, size / 40, 30), (0, size / 150, 30)):
        a = source.voxel_down_sample(voxel) if voxel else source
        b = target.voxel_down_sample(voxel) if voxel else target
        motion = o3d.pipelines.registration.registration_icp(
            a, b, reach, motion, o3d.pipelines.registration.TransformationEstimationPointToPlane(),
            o3d.pipelines.registration.ICPConvergenceCriteria(1e-9, 1e-9, rounds)).transformation
    took = time.perf_counter() - t
    best = took if best is None else min(best, took)
print(json.dumps({"seconds": best, "motion": motion.tolist()}))
