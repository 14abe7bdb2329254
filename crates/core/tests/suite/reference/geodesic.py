"""Exact geodesic distances (Mitchell, Mount & Papadimitriou, 1987) by pygeodesic, for tests/geodesic.rs.

pip install pygeodesic==0.1.11 numpy; python geodesic.py > geodesic.json
"""
import json
import math
import random

import numpy as np
import pygeodesic
from pygeodesic import geodesic

random.seed(7)


def grid(columns, rows, place):
    """A grid of faces whose inner vertices are moved about in its own plane, as `place` puts it in space."""
    points, faces = [], []
    for y in range(rows + 1):
        for x in range(columns + 1):
            inner = 0 < x < columns and 0 < y < rows
            by = (random.uniform(-0.3, 0.3), random.uniform(-0.3, 0.3)) if inner else (0, 0)
            points.append(place((x + by[0]) / columns, (y + by[1]) / rows))
    for y in range(rows):
        for x in range(columns):
            a = y * (columns + 1) + x
            b, c, d = a + 1, a + columns + 1, a + columns + 2
            faces += [[a, b, d], [a, d, c]] if (x + y) % 2 else [[a, b, c], [b, d, c]]
    return points, faces


def ball(rings, around):
    points = [[0, 0.1, 0]]
    for r in range(1, rings):
        t = math.pi * r / rings
        points += [[0.1 * math.sin(t) * math.cos(2 * math.pi * k / around), 0.1 * math.cos(t),
                    0.1 * math.sin(t) * math.sin(2 * math.pi * k / around)] for k in range(around)]
    points.append([0, -0.1, 0])
    ring = lambda r, k: 1 + (r - 1) * around + k % around
    faces = [[0, ring(1, k + 1), ring(1, k)] for k in range(around)]
    for r in range(1, rings - 1):
        for k in range(around):
            a, b, c, d = ring(r, k), ring(r, k + 1), ring(r + 1, k), ring(r + 1, k + 1)
            faces += [[a, b, d], [a, d, c]]
    last = len(points) - 1
    faces += [[last, ring(rings - 1, k), ring(rings - 1, k + 1)] for k in range(around)]
    return points, faces


SHAPES = {
    "plane": grid(14, 18, lambda u, v: [0.2 * u, 0.3 * v, 0]),
    # Two thirds of a pipe of 50 mm.
    "cylinder": grid(24, 14, lambda u, v: [0.05 * math.cos(4.2 * u), 0.2 * v, 0.05 * math.sin(4.2 * u)]),
    # Flat, folded over an edge by a right angle, flat.
    "bent strip": grid(16, 8, lambda u, v: [min(u, 0.5) * 0.2, 0.06 * v, max(u - 0.5, 0) * 0.2]),
    "ball": ball(18, 24),
}

out = {"made by": f"pygeodesic {pygeodesic.__version__ if hasattr(pygeodesic, '__version__') else '0.1.11'}"}
for name, (points, faces) in SHAPES.items():
    points = np.round(np.array(points, dtype=float), 6)
    source = len(points) // 2 + 3
    exact = geodesic.PyGeodesicAlgorithmExact(points, np.array(faces))
    far, _ = exact.geodesicDistances(np.array([source]))
    out[name] = {"positions": points.tolist(), "triangles": faces, "source": source,
                 "distances": np.round(far, 6).tolist()}
print(json.dumps(out, separators=(",", ":")))
