#!/usr/bin/env python3
"""Opens an OBJ and the GLB of the same outfit with trimesh (PyPI: trimesh 4), both at rest, and prints for each object
its vertices, its faces, and how far its vertices are from the GLB's, in millimetres.

    check-obj.py OUTFIT.obj OUTFIT.glb
"""
import json
import sys

import numpy
import trimesh


def objects(path, **how):
    return list(trimesh.load(path, process=False, **how).geometry.values())


def merged(meshes):
    return numpy.unique(numpy.round(numpy.concatenate([m.vertices for m in meshes]), 6), axis=0)


def main(obj, glb):
    ours = objects(obj, split_object=True, group_material=False)
    theirs = objects(glb)
    here, there = merged(ours), merged(theirs)
    apart = trimesh.proximity.cKDTree(there).query(here)[0].max() * 1000
    counts = [[len(m.vertices), len(m.faces)] for m in ours]
    faces = [sum(len(m.faces) for m in of) for of in (ours, theirs)]
    print(json.dumps({"objects": counts, "faces": faces, "apart_mm": round(float(apart), 4)}))


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2])
