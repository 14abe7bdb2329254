"""Makes crossings.json: faces of posed surfaces that meet, by a reference library with exact predicates.

    CROSSING_PAIRS=pairs.json cargo test -p tin-cloak-workshop --test crossings -- --ignored
    pip install libigl==2.6.1 numpy
    python crossings.py pairs.json > crossings.json
"""
import json
import sys

import igl.copyleft.cgal
import numpy as np

pairs = json.load(open(sys.argv[1]))
for pair in pairs:
    v = [np.array(pair[k]["v"], dtype=np.float64) / 65536 for k in "ab"]
    f = [np.array(pair[k]["f"], dtype=np.int64) for k in "ab"]
    found = igl.copyleft.cgal.intersect_other(v[0], f[0], v[1], f[1], detect_only=True)[0]
    pair["meeting"] = sorted([int(a), int(b)] for a, b in found)
json.dump(pairs, sys.stdout, separators=(",", ":"))
