"""Reads a Radiance HDR file (Ward 1991, "Real pixels"; new run-length encoding) and prints a few pixels as JSON."""

import json
import sys

data = open(sys.argv[1], "rb").read()
assert data.startswith(b"#?RADIANCE") and b"FORMAT=32-bit_rle_rgbe" in data[:400]
at = data.index(b"\n\n") + 2
end = data.index(b"\n", at)
words = data[at:end].split()
assert words[0] == b"-Y" and words[2] == b"+X"
height, width = int(words[1]), int(words[3])
at = end + 1

rows = []
for y in range(height):
    row = [bytearray(width) for _ in range(4)]
    if data[at] == 2 and data[at + 1] == 2 and (data[at + 2] << 8 | data[at + 3]) == width:
        at += 4
        for channel in row:
            x = 0
            while x < width:
                count = data[at]
                at += 1
                if count > 128:
                    channel[x : x + count - 128] = bytes([data[at]]) * (count - 128)
                    at += 1
                    x += count - 128
                else:
                    channel[x : x + count] = data[at : at + count]
                    at += count
                    x += count
    else:
        for k in range(4):
            row[k][:] = data[at + k : at + 4 * width : 4]
        at += width * 4
    rows.append(row)


def linear(y, x):
    r, g, b, e = (rows[y][k][x] for k in range(4))
    scale = 2.0 ** (e - 136) if e else 0.0
    return [r * scale, g * scale, b * scale]


samples = {f"{y},{x}": linear(y, x) for y, x in [(3, 17), (40, 200), (100, 128)]}
print(json.dumps({"width": width, "height": height, "samples": samples}))
