# SPDX-License-Identifier: GPL-3.0-or-later
"""Draws pictures of known colours into files, and says what colours are in files, with none of our code: Pillow,
tifffile, zlib, cjxl, heif-enc, djxl, and the published formulas of the colour spaces.

draw FOLDER   FOLDER has NAME.icc for each of SPACES (and lut.icc); files NAME-KIND.EXT are made of them.
judge FOLDER  FOLDER has files OUT of ours and a list.json of {"file": OUT, "like": NAME of its colours, "lossy":
              bool}; prints a JSON list of {"file", "worst"}: the largest CIEDE2000 difference of a patch.
light FOLDER  FOLDER/light.json: what a camera of BT.2020's primaries has of a chart's 24 patches in daylight (D65),
              and its matrix from XYZ.
chart FOLDER  FOLDER has a list.json as for judge, of pictures of that chart; prints the same.
"""
import json
import os
import struct
import subprocess
import sys
import zlib

import numpy as np
import tifffile
from PIL import Image
from skimage.color import deltaE_ciede2000

SIDE = 16  # px of a patch
D65, D50 = (0.3127, 0.3290), (0.3457, 0.3585)
SRGB = lambda v: np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0.04045) + 0.055) / 1.055) ** 2.4)
power = lambda exponent: lambda v: np.maximum(v, 0) ** exponent
SPACES = {  # primaries, white, the way to linear light: IEC 61966-2-1 and -2-5, SMPTE EG 432-1, ITU-R BT.2020, ISO 22028-2
    "srgb": (((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)), D65, SRGB),
    "oprgb": (((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)), D65, power(563 / 256)),
    "p3": (((0.68, 0.32), (0.265, 0.69), (0.15, 0.06)), D65, SRGB),
    "bt2020": (((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)), D65, power(2.4)),
    "rommrgb": (((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001)), D50, power(1.8)),
}
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


# CIE Lab relative to D50 of the 24 patches of the colour chart that the trade photographs, rows from dark skin to
# black, as published means of 30 charts (from memory).
CHART = np.array([
    (37.986, 13.555, 14.059), (65.711, 18.130, 17.810), (49.927, -4.880, -21.925), (43.139, -13.095, 21.905),
    (55.112, 8.844, -25.399), (70.719, -33.397, -0.199), (62.661, 36.067, 57.096), (40.020, 10.410, -45.964),
    (51.124, 48.239, 16.248), (30.325, 22.976, -21.587), (72.532, -23.709, 57.255), (71.941, 19.363, 67.857),
    (28.778, 14.179, -50.297), (55.261, -38.342, 31.370), (42.101, 53.378, 28.190), (81.733, 4.039, 79.819),
    (51.935, 49.986, -14.574), (51.038, -28.631, -28.638), (96.539, -0.425, 1.186), (81.257, -0.638, -0.335),
    (66.766, -0.734, -0.504), (50.867, -0.153, -0.270), (35.656, -0.421, -1.231), (20.461, -0.079, -0.973)])


def patches():
    steps = (0.1, 0.5, 0.9)
    return np.array([(r, g, b) for r in steps for g in steps for b in steps])


def xyz_of(x, y):
    return np.array([x / y, 1, (1 - x - y) / y])


def lab_of(values, space):
    """Lab relative to D50 of encoded values 0..1, n x 3."""
    primaries, white, to_light = SPACES[space]
    columns = np.stack([xyz_of(*p) for p in primaries], axis=1)
    columns = columns * np.linalg.solve(columns, xyz_of(*white))
    return lab_of_xyz(to_light(values) @ (adaption(white) @ columns).T)


def lab_of_xyz(xyz):
    """CIE 15:2004, 8.2.1, with the white of the profile connection space."""
    t = xyz / np.array([0.9642, 1.0, 0.8249])
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], axis=1)


def adaption(white):
    """Bradford, from a white to that of the profile connection space."""
    scale = (BRADFORD @ np.array([0.9642, 1.0, 0.8249])) / (BRADFORD @ xyz_of(*white))
    return np.linalg.inv(BRADFORD) @ np.diag(scale) @ BRADFORD


def light(folder):
    f = np.stack([CHART[:, 1] / 500, np.zeros(len(CHART)), -CHART[:, 2] / 200], axis=1) + (CHART[:, :1] + 16) / 116
    xyz = np.where(f > 6 / 29, f ** 3, 3 * (6 / 29) ** 2 * (f - 4 / 29)) * np.array([0.9642, 1.0, 0.8249])
    assert np.abs(lab_of_xyz(xyz) - CHART).max() < 1e-9
    primaries, white, _ = SPACES["bt2020"]
    columns = np.stack([xyz_of(*p) for p in primaries], axis=1)
    matrix = np.linalg.inv(columns * np.linalg.solve(columns, xyz_of(*white)))
    seen = xyz @ np.linalg.inv(adaption(white)).T @ matrix.T
    with open(os.path.join(folder, "light.json"), "w") as out:
        json.dump({"matrix": matrix.flatten().tolist(), "light": seen.tolist()}, out)


def chart(values, bits):
    """Rows of nine patches."""
    rows = [np.repeat(np.repeat(values[i:i + 9][None], SIDE, axis=0), SIDE, axis=1) for i in range(0, len(values), 9)]
    full = (1 << bits) - 1
    return np.round(np.concatenate(rows) * full).astype(np.uint16 if bits == 16 else np.uint8)


def write_png(file, pixels, icc=None):
    bits, kind = pixels.dtype.itemsize * 8, {1: 0, 3: 2, 4: 6}[pixels.shape[2]]
    chunk = lambda name, data: struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))
    rows = b"".join(b"\0" + row.astype(pixels.dtype.newbyteorder(">")).tobytes() for row in pixels)
    with open(file, "wb") as out:
        out.write(b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", pixels.shape[1], pixels.shape[0], bits, kind, 0, 0, 0)))
        if icc:
            out.write(chunk(b"iCCP", b"p\0\0" + zlib.compress(icc)))
        out.write(chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b""))


def read_png(file):
    data, at, idat, icc = open(file, "rb").read(), 8, b"", None
    while at < len(data):
        length, name = struct.unpack(">I", data[at:at + 4])[0], data[at + 4:at + 8]
        body = data[at + 8:at + 8 + length]
        if name == b"IHDR":
            width, height, bits, kind = struct.unpack(">IIBB", body[:10])
        if name == b"IDAT":
            idat += body
        if name == b"iCCP":
            icc = zlib.decompress(body[body.index(b"\0") + 2:])
        at += 12 + length
    channels = {0: 1, 2: 3, 4: 2, 6: 4}[kind]
    step, row_bytes = channels * bits // 8, width * channels * bits // 8
    raw, before, rows = zlib.decompress(idat), bytearray(row_bytes), []
    for y in range(height):  # the filters of ISO/IEC 15948, 9.2
        how, row = raw[y * (row_bytes + 1)], bytearray(raw[y * (row_bytes + 1) + 1:(y + 1) * (row_bytes + 1)])
        for i in range(row_bytes):
            a, b, c = row[i - step] if i >= step else 0, before[i], before[i - step] if i >= step else 0
            p = a + b - c
            paeth = min((abs(p - a), 0, a), (abs(p - b), 1, b), (abs(p - c), 2, c))[2]
            row[i] = row[i] + (0, a, b, (a + b) // 2, paeth)[how] & 255
        rows.append(bytes(row))
        before = row
    pixels = np.frombuffer(b"".join(rows), dtype=">u2" if bits == 16 else "u1").reshape(height, width, channels)
    return pixels / float((1 << bits) - 1), icc


def run(*command):
    subprocess.run(command, check=True, capture_output=True)


def draw(folder):
    for space in list(SPACES) + ["lut"]:
        file = os.path.join(folder, space + ".icc")
        if not os.path.exists(file):
            continue
        icc, made = open(file, "rb").read(), os.path.join(folder, space)
        profile = [(34675, "B", len(icc), icc, True)]  # the tag of ICC.1, annex B.4
        eight, sixteen = chart(patches(), 8), chart(patches(), 16)
        Image.fromarray(eight).save(made + "-8.jpg", quality=100, subsampling=0, icc_profile=icc)
        tifffile.imwrite(made + "-8.tif", eight, photometric="rgb", extratags=profile)
        tifffile.imwrite(made + "-16.tif", sixteen, photometric="rgb", extratags=profile)
        tifffile.imwrite(made + "-float.tif", (sixteen / 65535).astype(np.float32), photometric="rgb", extratags=profile)
        write_png(made + "-8.png", eight, icc)
        write_png(made + "-16.png", sixteen, icc)
        covered = np.concatenate([sixteen, np.full(sixteen.shape[:2] + (1,), 40000, np.uint16)], axis=2)
        write_png(made + "-alpha.png", covered, icc)
        run("cjxl", made + "-16.png", made + "-exact.jxl", "-d", "0", "-e", "3")
        if space in ("rommrgb", "lut"):  # a lossy JPEG XL holds no colours that no eye can see, and no tables
            continue
        run("cjxl", made + "-16.png", made + "-lossy.jxl", "-d", "0.3", "-e", "3")
        run("cjxl", made + "-alpha.png", made + "-alpha.jxl", "-d", "0.3", "-e", "3")
    # Colours named by numbers (ISO/IEC 23091-2), in AV1's variant of HEIF: heif-enc writes "unspecified" there.
    plain, coded = os.path.join(folder, "plain.png"), os.path.join(folder, "plain.avif")
    write_png(plain, chart(patches(), 8))
    run("heif-enc", "-A", "-q", "100", "-p", "chroma=444", "--matrix_coefficients", "6", plain, "-o", coded)
    data = open(coded, "rb").read()
    unsaid = b"colrnclx" + struct.pack(">HHH", 2, 2, 6)
    assert data.count(unsaid) == 1
    for space, primaries, transfer in (("srgb", 1, 13), ("p3", 12, 13)):
        with open(os.path.join(folder, space + "-numbers.avif"), "wb") as out:
            out.write(data.replace(unsaid, b"colrnclx" + struct.pack(">HHH", primaries, transfer, 6)))
    os.remove(plain)
    os.remove(coded)


def pixels_and_profile(file):
    if file.endswith(".jxl"):
        run("djxl", file, file + ".png")
        return read_png(file + ".png")
    if file.endswith(".png"):
        return read_png(file)
    if file.endswith(".tif"):
        with tifffile.TiffFile(file) as tiff:
            page = tiff.pages[0]
            pixels = page.asarray()
            return pixels / float(np.iinfo(pixels.dtype).max), bytes(page.tags["InterColorProfile"].value)
    image = Image.open(file)
    return np.asarray(image) / 255.0, image.info.get("icc_profile")


def means(pixels):
    inner = slice(SIDE // 4, -(SIDE // 4))
    return np.array([pixels[y:y + SIDE, x:x + SIDE][inner, inner, :3].mean(axis=(0, 1))
                     for y in range(0, pixels.shape[0], SIDE) for x in range(0, pixels.shape[1], SIDE)])


def lab_by_profile(values, icc):
    """What a matrix profile's tags say of encoded values (ICC.1:2010, 10.5, 10.15, 10.31)."""
    tags = {}
    for i in range(struct.unpack(">I", icc[128:132])[0]):
        name, at, size = struct.unpack(">4sII", icc[132 + 12 * i:144 + 12 * i])
        tags[name] = icc[at:at + size]
    fixed = lambda data: np.frombuffer(data, dtype=">i4") / 65536.0
    columns = np.stack([fixed(tags[name][8:20]) for name in (b"rXYZ", b"gXYZ", b"bXYZ")], axis=1)

    def light(tag, v):
        if tag[:4] == b"para":
            kind, own = struct.unpack(">H", tag[8:10])[0], fixed(tag[12:12 + (len(tag) - 12) // 4 * 4])
            if kind == 0:
                return v ** own[0]
            assert kind == 3, kind
            g, a, b, c, d = own[:5]
            return np.where(v >= d, np.maximum(a * v + b, 0) ** g, c * v)
        count = struct.unpack(">I", tag[8:12])[0]
        if count <= 1:
            return v ** (struct.unpack(">H", tag[12:14])[0] / 256.0 if count else 1.0)
        return np.interp(v, np.linspace(0, 1, count), np.frombuffer(tag[12:12 + 2 * count], dtype=">u2") / 65535.0)

    linear = np.stack([light(tags[name], values[:, i]) for i, name in enumerate((b"rTRC", b"gTRC", b"bTRC"))], axis=1)
    return lab_of_xyz(linear @ columns.T)


def judge_chart(folder):
    outcome = []
    for own in json.load(open(os.path.join(folder, "list.json"))):
        values, icc = pixels_and_profile(os.path.join(folder, own["file"]))
        worst = float(deltaE_ciede2000(lab_by_profile(means(values), icc), CHART).max()) if icc else 1000
        outcome.append({"file": own["file"], "worst": worst})
    print(json.dumps(outcome))


def judge(folder):
    table, outcome = open(os.path.join(folder, "lut.icc"), "rb").read(), []
    for own in json.load(open(os.path.join(folder, "list.json"))):
        pixels, icc = pixels_and_profile(os.path.join(folder, own["file"]))
        if not icc:
            worst = 1000  # no file of ours leaves its colours unsaid
        elif own["like"] == "lut":  # a table's values stay as they are, and so does the table
            worst = float(100 * np.abs(means(pixels) - patches()).max()) if icc == table else 1000
        else:
            worst = float(deltaE_ciede2000(lab_by_profile(means(pixels), icc), lab_of(patches(), own["like"])).max())
        outcome.append({"file": own["file"], "worst": worst})
    print(json.dumps(outcome))


{"draw": draw, "judge": judge, "light": light, "chart": judge_chart}[sys.argv[1]](sys.argv[2])
