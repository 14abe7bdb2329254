"""The least change under demands with squared slack, as a quadratic programme by OSQP, for tests/least_change.rs.

pip install osqp==1.1.3 numpy scipy; python least_change.py > least_change.json
"""
import json

import numpy as np
import osqp
import scipy.sparse as sp

rng = np.random.default_rng(11)
WEIGHT = 1e3
problems = []
for n, m in [(3, 2), (6, 10), (12, 30), (20, 15), (8, 40), (30, 60)]:
    root = rng.normal(size=(n, n)) * 0.3
    q = np.round(root @ root.T, 5) + 0.1 * np.eye(n)
    g = np.round(rng.normal(size=(m, n)) * (rng.random((m, n)) < 0.4), 4)
    need = np.round(rng.normal(size=m) * 0.5, 4)
    # min 1/2 x'Qx + w/2 s's, Gx + s >= need, s >= 0
    p = sp.block_diag([sp.csc_matrix(q), WEIGHT * sp.eye(m)], format="csc")
    demands = sp.hstack([sp.csc_matrix(g), sp.eye(m)])
    a = sp.vstack([demands, sp.hstack([sp.csc_matrix((m, n)), sp.eye(m)])], format="csc")
    low = np.concatenate([need, np.zeros(m)])
    solver = osqp.OSQP()
    solver.setup(sp.triu(p, format="csc"), np.zeros(n + m), a, low, np.full(2 * m, np.inf), verbose=False,
                 eps_abs=1e-9, eps_rel=1e-9, max_iter=200000, polishing=True)
    x = solver.solve().x[:n]
    cost = 0.5 * x @ q @ x + 0.5 * WEIGHT * np.sum(np.maximum(0, need - g @ x) ** 2)
    problems.append({"q": q.tolist(), "g": g.tolist(), "need": need.tolist(), "cost": cost})
print(json.dumps({"made by": f"osqp {osqp.__version__}", "weight": WEIGHT, "problems": problems}))
