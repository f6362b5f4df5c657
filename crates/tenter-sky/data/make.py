"""Makes stars.bin and milky_way.bin from stars.8.json and mw.json of the npm package d3-celestial 0.7.35.

    python3 make.py FOLDER_OF_THE_JSON_FILES          needs numpy and pillow
"""
import json
import struct
import sys

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

FOLDER = sys.argv[1]
# A star without a colour index gets the sun's.
SOLAR_B_V = 0.65


def stars():
    rows = []
    for feature in json.load(open(f"{FOLDER}/stars.8.json"))["features"]:
        ra, dec = feature["geometry"]["coordinates"]
        b_v = feature["properties"]["bv"]
        rows.append((float(feature["properties"]["mag"]), ra % 360, dec, float(b_v) if b_v else SOLAR_B_V))
    rows.sort()
    with open("stars.bin", "wb") as out:
        for v, ra, dec, b_v in rows:
            turn, half = round(ra / 360 * 2**32) % 2**32, round(dec / 180 * 2**32)
            out.write(struct.pack("<Iihh", turn, half, round(v * 100), round(b_v * 1000)))


def milky_way():
    width, height, finer = 720, 360, 4
    levels = np.zeros((height * finer, width * finer), np.float32)
    for feature in json.load(open(f"{FOLDER}/mw.json"))["features"]:
        inside = np.zeros(levels.shape, bool)
        for polygon in feature["geometry"]["coordinates"]:
            for ring in polygon:
                inside ^= ring_mask(ring, width * finer, height * finer)
        levels += inside
    levels = levels.reshape(height, finer, width, finer).mean((1, 3))
    image = Image.fromarray((levels * 51).round().astype(np.uint8))
    # Rings that meet leave lines a pixel wide; outlines are steps where the sky has none.
    wide = np.pad(np.array(image), ((0, 0), (8, 8)), mode="wrap")
    smooth = Image.fromarray(wide).filter(ImageFilter.MedianFilter(3)).filter(ImageFilter.GaussianBlur(1.6))
    np.array(smooth)[:, 8:-8].tofile("milky_way.bin")


def ring_mask(ring, width, height):
    """What a ring of (right ascension, declination) encloses, the first column at right ascension 0."""
    closed = ring if ring[0] == ring[-1] else ring + [ring[0]]
    xs, ys = [closed[0][0]], [closed[0][1]]
    for x, y in closed[1:]:
        xs.append(xs[-1] + (x - xs[-1] + 180) % 360 - 180)
        ys.append(y)
    if abs(xs[-1] - xs[0]) > 300:
        # Around the whole sky: what lies south of it.
        xs += [xs[-1], xs[0]]
        ys += [-95, -95]
    mask = np.zeros((height, width), bool)
    for turn in (-720, -360, 0, 360, 720):
        if max(xs) + turn < 0 or min(xs) + turn > 360:
            continue
        image = Image.new("1", (width, height))
        points = [((x + turn) / 360 * width, (90 - y) / 180 * height) for x, y in zip(xs, ys)]
        ImageDraw.Draw(image).polygon(points, fill=1)
        mask ^= np.array(image, bool)
    return mask


stars()
milky_way()
