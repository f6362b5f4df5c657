"""Reads an OpenEXR file of layers with OpenEXR's own package, lays its parts over one another as its
attribute says, and prints how far the result is from a flat file, as JSON.

    read_parts.py LAYERS FLAT
"""
import json
import sys

import numpy
import OpenEXR


def main() -> None:
    layers, flat = (OpenEXR.File(path, separate_channels=True) for path in sys.argv[1:3])
    parts = {part.name(): part for part in layers.parts}

    def plane(part: str, channel: str):
        return parts[part].channels[channel].pixels.astype(numpy.float64)

    def colour(part: str):
        return numpy.stack([plane(part, c) for c in "RGB"], -1)

    seen = colour("land") + (1 - plane("land", "A"))[..., None] * colour("sky")
    for part in layers.parts:
        if part.name().startswith("clouds."):
            seen = colour(part.name()) + (1 - plane(part.name(), "A"))[..., None] * seen
    seen += colour("lights")
    channels = flat.channels()
    whole = numpy.stack([channels[c].pixels.astype(numpy.float64) for c in "RGB"], -1)
    luminance = whole @ numpy.array([0.2126, 0.7152, 0.0722])
    off = numpy.abs(seen - whole).max(-1) / numpy.maximum(luminance, 1e-6 * luminance.max())
    alphas = [plane(name, "A") for name, part in parts.items() if "A" in part.channels]
    print(json.dumps({
        "parts": {name: sorted(part.channels) for name, part in parts.items()},
        "compose": parts["sky"].header.get("tenter:compose"),
        "envmap": str(parts["sky"].header.get("envmap")),
        "types": {name: str(part.channels[sorted(part.channels)[0]].pixels.dtype)
                  for name, part in parts.items()},
        "mean": float(off.mean()),
        "largest": float(off.max()),
        "finite": all(
            bool(numpy.isfinite(c.pixels).all()) for p in layers.parts for c in p.channels.values()
        ),
        "alpha": [float(min(a.min() for a in alphas)), float(max(a.max() for a in alphas))],
        "distance": [float(plane("distance", "Z").min()), float(plane("distance", "Z").max())],
        "transmittance": [float(colour("transmittance").min()), float(colour("transmittance").max())],
    }))


main()
