"""Makes libigl.json: closest points and winding numbers by a reference library.

    pip install libigl==2.6.1 numpy
    python make.py > libigl.json
"""
import json

import igl
import numpy as np

rng = np.random.default_rng(7)
rings, around = 9, 16
positions, triangles = [], []
for r in range(rings):
    for s in range(around):
        a, y = 2 * np.pi * s / around, r / (rings - 1)
        radius = 0.3 + 0.1 * np.sin(5 * y) + 0.03 * np.cos(3 * a)
        positions.append([radius * np.sin(a), y, radius * np.cos(a)])
for r in range(rings - 1):
    for s in range(around):
        a, b = r * around + s, r * around + (s + 1) % around
        triangles += [[a, b, b + around], [a, b + around, a + around]]
v, f = np.round(np.array(positions), 5), np.array(triangles, dtype=np.int64)
q = np.round(rng.uniform([-0.6, -0.3, -0.6], [0.6, 1.3, 0.6], (120, 3)), 5)
squared = igl.point_mesh_squared_distance(q, v, f)[0]
winding = igl.winding_number(v, f, q)
print(json.dumps({
    "library": "libigl " + getattr(igl, "__version__", "2.6.1"),
    "positions": v.tolist(), "triangles": f.tolist(), "queries": q.tolist(),
    "squared_distances": np.round(squared, 8).tolist(), "winding": np.round(winding, 6).tolist(),
}))
