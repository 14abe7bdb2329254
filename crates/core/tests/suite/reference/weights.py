"""Makes weights.json: cotangent Laplacian, lumped masses, inpainted weights and bone heat by
reference libraries, on a lumpy closed body and an open garment.

    pip install libigl==2.6.3 scipy==1.17.1 numpy
    python weights.py > weights.json
"""
import json

import igl
import numpy as np
import scipy.sparse as sp
import scipy.sparse.linalg as spl

rng = np.random.default_rng(11)


def lumpy(rings, around, low, high, radius, closed):
    positions, triangles = [], []
    for r in range(rings):
        for s in range(around):
            a, t = 2 * np.pi * s / around, r / (rings - 1)
            here = radius * (1 + 0.12 * np.sin(7 * t) + 0.08 * np.cos(3 * a + 2 * t))
            positions.append([here * np.sin(a), low + (high - low) * t, 0.8 * here * np.cos(a)])
    for r in range(rings - 1):
        for s in range(around):
            a, b = r * around + s, r * around + (s + 1) % around
            triangles += [[a, b, b + around], [a, b + around, a + around]]
    if closed:
        for ring, end in ((0, low - 0.5 * radius), (rings - 1, high + 0.5 * radius)):
            positions.append([0.0, end, 0.0])
            tip = len(positions) - 1
            for s in range(around):
                a, b = ring * around + s, ring * around + (s + 1) % around
                triangles.append([tip, b, a] if ring == 0 else [tip, a, b])
    return np.array(positions).round(5), np.array(triangles)


# Inpainting: min sum w' (L + L M^-1 L) w with rows given, as published.
P, T = lumpy(13, 20, 0.0, 1.0, 0.25, False)
L = -igl.cotmatrix(P, T)
areas = igl.doublearea(P, T) / 2
masses = np.zeros(len(P))
for t, a in zip(T, areas):
    masses[t] += a / 3
Q = (L + L @ sp.diags(1 / masses) @ L).tocsr()
heights = P[:, 1]
low, high = np.clip((0.6 - heights) / 0.3, 0, 1), np.clip((heights - 0.3) / 0.4, 0, 1)
W = np.stack([low, high * 0.5 + 0.1, np.full(len(P), 0.2)], 1)
W /= W.sum(1, keepdims=True)
known = rng.random(len(P)) < 0.35
u, k = np.flatnonzero(~known), np.flatnonzero(known)
solved = spl.spsolve(Q[u][:, u].tocsc(), -(Q[u][:, k] @ W[k]))
filled = W.copy()
filled[u] = np.clip(solved, 0, 1)
filled /= filled.sum(1, keepdims=True)

# Heat: (L + M H) w = M H p, H = 1/d^2 where the nearest bone is seen.
B, F = lumpy(11, 16, 0.0, 1.0, 0.2, True)
ends = [(0.0, 0.0, 0.0), (0.0, 0.35, 0.0), (0.02, 0.7, 0.01), (0.0, 1.0, 0.0)]
bones = list(zip(ends[:-1], ends[1:]))
LB = -igl.cotmatrix(B, F)
MB = np.zeros(len(B))
for t, a in zip(F, igl.doublearea(B, F) / 2):
    MB[t] += a / 3


def nearest(bone, p):
    a, b = map(np.array, bone)
    t = np.clip((p - a) @ (b - a) / ((b - a) @ (b - a)), 0, 1)
    return a + t * (b - a)


def blocked(q, p, own):
    d = p - q
    for i, t in enumerate(F):
        if own in t:
            continue
        a, e1, e2 = B[t[0]], B[t[1]] - B[t[0]], B[t[2]] - B[t[0]]
        h = np.cross(d, e2)
        det = e1 @ h
        if abs(det) < 1e-14:
            continue
        s = q - a
        x, c = s @ h / det, np.cross(s, e1)
        y, w = d @ c / det, e2 @ c / det
        if x >= 0 and y >= 0 and x + y <= 1 and 1e-4 <= w <= 0.9999:
            return True
    return False


H, p = np.zeros(len(B)), np.zeros((len(B), len(bones)))
for v, at in enumerate(B):
    feet = [nearest(b, at) for b in bones]
    d = np.array([np.linalg.norm(f - at) for f in feet])
    close = [i for i in range(len(bones)) if d[i] <= d.min() * 1.0001 + 1e-6]
    if any(not blocked(feet[i], at, v) for i in close):
        H[v] = 1 / d.min() ** 2
        p[v, close] = 1 / len(close)
heat = spl.spsolve((LB + sp.diags(MB * H)).tocsc(), (MB * H)[:, None] * p)

print(json.dumps({
    "libraries": "libigl 2.6.3, scipy 1.17.1",
    "positions": P.tolist(), "triangles": T.tolist(),
    "laplacian_diagonal": L.diagonal().round(6).tolist(), "masses": masses.round(8).tolist(),
    "weights": W.round(6).tolist(), "known": known.tolist(), "filled": filled.round(6).tolist(),
    "body": B.tolist(), "faces": F.tolist(), "bones": bones, "heat": heat.round(6).tolist(),
}))
