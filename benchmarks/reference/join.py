"""Sixteen views joined by a general-purpose library: feature matching of neighbours, then a pose graph. Prints one line of JSON.
python3 join.py FOLDER   (0.ply … 15.ply, truth.json; writes found.json)"""
import json
import sys
import time
from os.path import join

import numpy as np
import open3d as o3d

folder = sys.argv[1]
known = json.load(open(join(folder, "truth.json")))
truth = [np.array(k["truth"]) for k in known]
n = len(truth)
reg = o3d.pipelines.registration
VOXEL = 1.3
clouds, thin, features = [], [], []
start = time.time()
for i in range(n):
    c = o3d.io.read_point_cloud(join(folder, f"{i}.ply"))
    c.estimate_normals(o3d.geometry.KDTreeSearchParamKNN(20))
    c.orient_normals_towards_camera_location(np.array(known[i]["origin"]))
    d = c.voxel_down_sample(VOXEL)
    clouds.append(c)
    thin.append(d)
    features.append(reg.compute_fpfh_feature(d, o3d.geometry.KDTreeSearchParamHybrid(5 * VOXEL, 100)))


def right(found, a, b):
    want = np.linalg.inv(truth[b]) @ truth[a]
    delta = np.linalg.inv(want) @ found
    deg = np.degrees(np.arccos(np.clip((np.trace(delta[:3, :3]) - 1) / 2, -1, 1)))
    at = np.linalg.inv(truth[a])[:3, 3]
    gap = np.linalg.norm((found[:3, :3] @ at + found[:3, 3]) - (want[:3, :3] @ at + want[:3, 3]))
    return deg <= 3 and gap <= 2


pairs = [(p * 8 + k, p * 8 + (k + 1) % 8) for p in range(2) for k in range(8)]
good = 0
for a, b in pairs:
    r = reg.registration_ransac_based_on_feature_matching(
        thin[a], thin[b], features[a], features[b], True, 1.5 * VOXEL, reg.TransformationEstimationPointToPoint(False), 3,
        [reg.CorrespondenceCheckerBasedOnEdgeLength(0.9), reg.CorrespondenceCheckerBasedOnDistance(1.5 * VOXEL)],
        reg.RANSACConvergenceCriteria(400000, 0.999))
    good += right(np.array(r.transformation), a, b)
pair_seconds = time.time() - start

# The graph starts from the truth a little off, for every pair that overlaps: what the library's own matching got wrong is not held against it.
rng = np.random.default_rng(1)
placed = []
for t in truth:
    axis = rng.normal(size=3)
    off = np.eye(4)
    off[:3, :3] = o3d.geometry.get_rotation_matrix_from_axis_angle(axis / np.linalg.norm(axis) * np.radians(1.5))
    placed.append(off @ t)
start = time.time()
graph = reg.PoseGraph()
for i in range(n):
    graph.nodes.append(reg.PoseGraphNode(np.linalg.inv(placed[0]) @ placed[i]))
for a in range(n):
    for b in range(a + 1, n):
        guess = np.linalg.inv(placed[b]) @ placed[a]
        fit = reg.evaluate_registration(thin[a], thin[b], 2 * VOXEL, guess)
        if fit.fitness < 0.25:
            continue
        r = reg.registration_icp(clouds[a], clouds[b], 2.0, guess, reg.TransformationEstimationPointToPlane(), reg.ICPConvergenceCriteria(1e-7, 1e-7, 50))
        r = reg.registration_icp(clouds[a], clouds[b], 0.6, r.transformation, reg.TransformationEstimationPointToPlane(), reg.ICPConvergenceCriteria(1e-8, 1e-8, 50))
        info = reg.get_information_matrix_from_point_clouds(clouds[a], clouds[b], 0.6, r.transformation)
        graph.edges.append(reg.PoseGraphEdge(a, b, r.transformation, info, b != a + 1))
reg.global_optimization(graph, reg.GlobalOptimizationLevenbergMarquardt(), reg.GlobalOptimizationConvergenceCriteria(), reg.GlobalOptimizationOption(0.6, 0.25, -1, 0))
graph_seconds = time.time() - start
json.dump([node.pose.tolist() for node in graph.nodes], open(join(folder, "found.json"), "w"))
print(json.dumps({"right": int(good), "pairs": len(pairs), "pairSeconds": pair_seconds, "graphSeconds": graph_seconds}))
