#!/usr/bin/env python3
"""Opens a USD file with OpenUSD itself (PyPI: usd-core 26.11), runs all its validators, bakes UsdSkel's own skinning
at a time code, and prints how far each mesh is from the vertices of an OBJ of the same moment, in the same units, in
millimetres.

    check-usd.py OUTFIT.usda TIMECODE POSED.obj
"""
import json
import sys

from pxr import Gf, Usd, UsdGeom, UsdSkel, UsdValidation


def objects(path):
    found = []
    for line in open(path, encoding="utf-8"):
        if line.startswith("o "):
            found.append([])
        elif line.startswith("v "):
            found[-1].append([float(x) for x in line.split()[1:4]])
    return found


def main(usd, time, obj):
    stage = Usd.Stage.Open(usd)
    registry = UsdValidation.ValidationRegistry()
    context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
    errors = [e.GetErrorAsString() for e in context.Validate(stage)]
    root = UsdSkel.Root(stage.GetDefaultPrim())
    UsdSkel.BakeSkinning(root, Gf.Interval(time, time))
    meshes = [UsdGeom.Mesh(p) for p in Usd.PrimRange(root.GetPrim()) if p.IsA(UsdGeom.Mesh)]
    furthest, millimetres = {}, UsdGeom.GetStageMetersPerUnit(stage) * 1000
    for mesh, vertices in zip(meshes, objects(obj), strict=True):
        points = mesh.GetPointsAttr().Get(time)
        apart = [sum((a - b) ** 2 for a, b in zip(p, v)) ** 0.5 for p, v in zip(points, vertices, strict=True)]
        furthest[mesh.GetPrim().GetName()] = round(max(apart) * millimetres, 4)
    print(json.dumps({"errors": errors, "apart_mm": furthest}))


if __name__ == "__main__":
    main(sys.argv[1], float(sys.argv[2]), sys.argv[3])
