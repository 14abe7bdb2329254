"""The transfer and the check of one pair of `fit.rs` with libigl and scipy, for the ratio in one run.

    pip install libigl==2.6.3 scipy numpy
    cargo bench -p tin-cloak-bench -- transfer
    RAYON_NUM_THREADS=1 cargo bench -p tin-cloak-bench -- check
    IGL_NUM_THREADS=1 python crates/bench/benches/reference.py
"""
import json
import pathlib
import struct
import time

import igl
import igl.copyleft.cgal
import numpy as np
import scipy.sparse as sp
import scipy.sparse.linalg as sla

root = pathlib.Path(__file__).resolve().parents[3] / "testdata" / "open-human"
TYPES = {5121: np.uint8, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
WIDTH = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}


def load(name):
    data = (root / name).read_bytes()
    length = struct.unpack_from("<I", data, 12)[0]
    gltf, binary = json.loads(data[20 : 20 + length]), data[28 + length :]

    def read(index):
        a = gltf["accessors"][index]
        v = gltf["bufferViews"][a["bufferView"]]
        start, count = v.get("byteOffset", 0) + a.get("byteOffset", 0), a["count"] * WIDTH[a["type"]]
        return np.frombuffer(binary, TYPES[a["componentType"]], count, start).reshape(a["count"], -1)

    p = gltf["meshes"][0]["primitives"][0]
    return {k: read(i) for k, i in p["attributes"].items()} | {"F": read(p["indices"]).reshape(-1, 3).astype(np.int64)}


body, suit = load("body.glb"), load("bodysuit.glb")
joints = int(body["JOINTS_0"].max()) + 1
weights = np.zeros((len(body["POSITION"]), joints))
np.add.at(weights, (np.arange(len(weights))[:, None], body["JOINTS_0"]), body["WEIGHTS_0"])


def weld(mesh):
    places = np.round(mesh["POSITION"].astype(float), 6)
    v, first, inverse = np.unique(places, axis=0, return_index=True, return_inverse=True)
    return v, inverse.reshape(-1)[mesh["F"]], first


bv, bf, first = weld(body)
weights = weights[first]
gv, gf, _ = weld(suit)


def transfer():
    squared, face, point = igl.point_mesh_squared_distance(gv, bv, bf)[:3]
    corners = bf[face]
    bary = igl.barycentric_coordinates(point, bv[corners[:, 0]], bv[corners[:, 1]], bv[corners[:, 2]])
    found = np.einsum("ij,ijk->ik", bary, weights[corners])
    bn, gn = igl.per_vertex_normals(bv, bf), igl.per_vertex_normals(gv, gf)
    there = np.einsum("ij,ijk->ik", bary, bn[corners])
    there /= np.linalg.norm(there, axis=1, keepdims=True)
    reach = 0.05 * np.linalg.norm(gv.max(0) - gv.min(0))
    known = (squared <= reach**2) & ((there * gn).sum(1) >= np.cos(np.radians(30)))
    unknown = np.where(~known)[0]
    laplacian = igl.cotmatrix(gv, gf)
    mass = igl.massmatrix(gv, gf, igl.MASSMATRIX_TYPE_VORONOI)
    energy = (-laplacian + laplacian @ sp.diags(1 / mass.diagonal()) @ laplacian).tocsc()
    right = -energy[unknown][:, np.where(known)[0]] @ found[known]
    found[unknown] = sla.splu(energy[unknown][:, unknown].tocsc()).solve(right)
    return found


transfer()
times = []
for _ in range(5):
    start = time.perf_counter()
    transfer()
    times.append(time.perf_counter() - start)
print(f"libigl + scipy: {1000 * min(times):.0f} ms (best of 5), {len(gv)} garment vertices")


def crossings():
    """Faces that run through each other: of both layers, and of each in itself."""
    found = igl.copyleft.cgal.intersect_other(bv, bf, gv, gf, detect_only=True)
    return found, [igl.copyleft.cgal.remesh_self_intersections(v, f, detect_only=True) for v, f in ((bv, bf), (gv, gf))]


def check():
    """Signed distances of the suit's vertices to the body and of the body's near ones to the suit, as a board needs."""
    near = np.arange(len(bv)) if covered is None else covered
    kind = igl.SIGNED_DISTANCE_TYPE_PSEUDONORMAL
    return igl.signed_distance(gv, bv, bf, sign_type=kind), igl.signed_distance(bv[near], gv, gf, sign_type=kind)


covered = None
covered = np.where(np.abs(check()[1][0]) < 0.05)[0]
for what, work in (("distances", [check]), ("distances and crossings", [check, crossings])):
    times = []
    for _ in range(5):
        start = time.perf_counter()
        [one() for one in work]
        times.append(time.perf_counter() - start)
    milliseconds = 1000 * min(times)
    print(f"libigl: a pair in a pose, {what}: {milliseconds:.1f} ms (best of 5), {len(bv)} x {len(gv)} vertices")
