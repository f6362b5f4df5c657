"""Reads the green channel of an uncompressed tiled OpenEXR file (one part, first level), by the file layout that the OpenEXR
project publishes ("OpenEXR File Layout"), without its library. Prints JSON: width, height, green by
rows, null where it is not finite.

    python3 read_tiled_exr.py FILE.exr
"""
import json
import math
import struct
import sys

data = open(sys.argv[1], "rb").read()
magic, version = struct.unpack_from("<ii", data)
assert magic == 20000630, "not an OpenEXR file"
assert version & 0x200, "not tiled"
at = 8


def text():
    global at
    end = data.index(0, at)
    found = data[at:end].decode()
    at = end + 1
    return found


attributes = {}
while True:
    name = text()
    if not name:
        break
    kind = text()
    (size,) = struct.unpack_from("<i", data, at)
    attributes[name] = (kind, data[at + 4 : at + 4 + size])
    at += 4 + size

assert attributes["compression"][1][0] == 0, "compressed"
x0, y0, x1, y1 = struct.unpack("<iiii", attributes["dataWindow"][1])
width, height = x1 - x0 + 1, y1 - y0 + 1
tile_width, tile_height, _mode = struct.unpack("<IIB", attributes["tiles"][1])

channels = []
raw = attributes["channels"][1]
i = 0
while raw[i]:
    end = raw.index(0, i)
    kind = struct.unpack_from("<i", raw, end + 1)[0]
    channels.append((raw[i:end].decode(), {1: ("e", 2), 2: ("f", 4)}[kind]))
    i = end + 1 + 16

across, down = -(-width // tile_width), -(-height // tile_height)
offsets = struct.unpack_from(f"<{across * down}Q", data, at)
green = [0.0] * (width * height)
for offset in offsets:
    tx, ty, lx, ly, _size = struct.unpack_from("<iiiii", data, offset)
    assert (lx, ly) == (0, 0)
    p = offset + 20
    columns = min(tile_width, width - tx * tile_width)
    for row in range(min(tile_height, height - ty * tile_height)):
        for name, (code, size) in channels:
            if name == "G":
                start = (ty * tile_height + row) * width + tx * tile_width
                green[start : start + columns] = struct.unpack_from(f"<{columns}{code}", data, p)
            p += columns * size
green = [v if math.isfinite(v) else None for v in green]
json.dump({"width": width, "height": height, "green": green}, sys.stdout)
