"""What is seen of what is through, by rays of Embree: the expectations of `../sight.rs`.

    pip install embreex==4.4.0.post1 libigl==2.6.3 numpy
    mkdir frames
    SIGHT_FRAMES=$PWD/frames cargo test -p tin-cloak-workshop --test sight -- --ignored
    python crates/workshop/tests/suite/reference/sight.py frames > crates/workshop/tests/suite/reference/sight.json

A vertex of the inner layer that is through shows where it is; of a sunk one of the outer layer what lies over it
shows, where the inner layer is nearest. From 1 mm over that place 256 rays go out evenly over the half of the sphere
above the surface; it is seen when one of them meets nothing. How deep it is comes from libigl's distance to those
faces of the other layer that look the way the vertex does.
"""
import json
import pathlib
import sys

import igl
import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh

folder = pathlib.Path(sys.argv[1])
layers = len(list(folder.glob("faces-*.u32")))
read = lambda name, kind: np.fromfile(folder / name, kind).reshape(-1, 3)
faces = [read(f"faces-{l}.u32", np.uint32).astype(np.int32) for l in range(layers)]
towards = [read(f"towards-{l}.u32", np.uint32).astype(np.int32) for l in range(layers)]
outside = [read(f"outside-{l}.u32", np.uint32).astype(np.int32) for l in range(layers)]

k = np.arange(512)
y = 1 - (2 * k + 1) / 512
r, t = np.sqrt(1 - y * y), k * np.pi * (3 - np.sqrt(5))
sphere = np.stack([r * np.cos(t), y, r * np.sin(t)], 1)


def normals(v, f):
    n = np.zeros_like(v)
    face = np.cross(v[f[:, 1]] - v[f[:, 0]], v[f[:, 2]] - v[f[:, 0]])
    for c in range(3):
        np.add.at(n, f[:, c], face)
    return n / np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-20)


def nearest(p, n, v, f):
    """The nearest place of faces that look the way n does."""
    f = f[np.abs(v[f[:, 0]] - p).max(1) < 0.2]
    face = np.cross(v[f[:, 1]] - v[f[:, 0]], v[f[:, 2]] - v[f[:, 0]])
    facing = f[face @ n > 0]
    d, i, c = igl.point_mesh_squared_distance(p[None], v, facing)
    t = v[facing[i[0]]]
    m = np.cross(t[1] - t[0], t[2] - t[0])
    return float(np.sqrt(d[0])), c[0], m / np.linalg.norm(m)


told = []
for frame in range(60):
    v = [read(f"{frame}-{l}.f32", np.float32).astype(np.float64) for l in range(layers)]
    scene = rtcore_scene.EmbreeScene()
    for l in range(layers):
        TriangleMesh(scene, v[l].astype(np.float32)[faces[l]])
    of_towards = [normals(v[l], towards[l]) for l in range(layers)]
    of_outside = [normals(v[l], outside[l]) for l in range(layers)]
    seen, deepest, spots = 0, 0.0, json.loads((folder / f"{frame}.json").read_text())
    for outer, inner, on_outer, vertex, _ in spots:
        if on_outer:
            p, n = v[outer][vertex], of_towards[outer][vertex]
            depth, place, up = nearest(p, n, v[inner], outside[inner])
        else:
            p, n = v[inner][vertex], of_outside[inner][vertex]
            depth, _, _ = nearest(p, n, v[outer], towards[outer])
            place, up = p, n
        ways = sphere[sphere @ up > 0.0]
        start = np.repeat((place + up * 1e-3)[None], len(ways), 0)
        hit = scene.run(start.astype(np.float32), ways.astype(np.float32))
        if (hit == -1).any():
            seen += 1
            deepest = max(deepest, depth)
    told.append({"through": len(spots), "seen": seen, "deepest_mm": round(deepest * 1000, 3)})
print("[" + ",\n".join(json.dumps(t) for t in told) + "]")
