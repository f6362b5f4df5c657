"""Reads an OpenVDB file with the reference library and prints its grids as JSON: metadata, transform, active
voxels, bounds, sums over columns, and values at voxels that are asked for.

    read_vdb.py FILE [GRID I J K]...
"""
import json
import sys

import numpy
import pyopenvdb


def facts(path: str, name: str) -> dict:
    grid = pyopenvdb.read(path, name)
    low, high = grid.evalActiveVoxelBoundingBox()
    shape = [int(b - a + 1) for a, b in zip(low, high)] if grid.activeVoxelCount() else [0, 0, 0]
    values = numpy.zeros(shape, dtype=numpy.float64)
    if grid.activeVoxelCount():
        grid.copyToArray(values, ijk=low)
    return {
        "name": name,
        "class": grid.gridClass,
        "half": grid.saveFloatAsHalf,
        "background": float(grid.background),
        "metadata": {key: value if isinstance(value, (str, float, int, bool)) else list(value)
                     for key, value in grid.metadata.items()},
        "origin_m": list(grid.transform.indexToWorld((0, 0, 0))),
        "next_m": list(grid.transform.indexToWorld((1, 1, 1))),
        "active": int(grid.activeVoxelCount()),
        "leaves": int(grid.leafCount()),
        "low": [int(v) for v in low],
        "high": [int(v) for v in high],
        "sum": float(values.sum()),
        "columns": values.sum(axis=1).tolist() if values.size < 4_000_000 else None,
    }


def main() -> None:
    path, asked = sys.argv[1], sys.argv[2:]
    names = [grid.name for grid in pyopenvdb.readAllGridMetadata(path)]
    probes = []
    for name, i, j, k in zip(*[iter(asked)] * 4):
        accessor = pyopenvdb.read(path, name).getConstAccessor()
        value, active = accessor.probeValue((int(i), int(j), int(k)))
        probes.append([float(value), bool(active)])
    print(json.dumps({"grids": [facts(path, name) for name in names], "probes": probes}))


main()
