# SPDX-License-Identifier: GPL-3.0-or-later
"""Opens an OpenRaster file with Python's own zip and XML readers, puts its layers together (svg:src-over, in
encoded values, as its specification says) and prints how that differs from its merged image, in steps of 16 bits."""
import io
import json
import sys
import xml.etree.ElementTree as xml
import zipfile

import numpy as np
from skimage import io as pictures


def pixels(archive, name):
    own = pictures.imread(io.BytesIO(archive.read(name)), plugin="imageio").astype(float)
    full = 65535 if own.max() > 255 else 255
    return own * (65535 / full)


with zipfile.ZipFile(sys.argv[1]) as archive:
    first = archive.infolist()[0]
    stack = xml.fromstring(archive.read("stack.xml"))
    size = [int(stack.get("w")), int(stack.get("h"))]

    def composed(layers):
        canvas = np.zeros((size[1], size[0], 3))
        cover = np.zeros((size[1], size[0], 1))
        for layer in layers:
            own = pixels(archive, layer.get("src"))
            x, y = int(layer.get("x")), int(layer.get("y"))
            alpha = own[..., 3:4] / 65535 if own.shape[2] == 4 else np.ones(own.shape[:2] + (1,))
            part = (slice(y, y + own.shape[0]), slice(x, x + own.shape[1]))
            below = cover[part]
            total = alpha + below * (1 - alpha)
            canvas[part] = (own[..., :3] * alpha + canvas[part] * below * (1 - alpha)) / np.maximum(total, 1e-9)
            cover[part] = total
        return canvas

    layers = list(reversed(stack.find("stack").findall("layer")))
    merged = pixels(archive, "mergedimage.png")[..., :3]
    thumbnail = pictures.imread(io.BytesIO(archive.read("Thumbnails/thumbnail.png")), plugin="imageio")
    print(json.dumps({
        "first_entry": first.filename,
        "mimetype_stored": first.compress_type == zipfile.ZIP_STORED,
        "mimetype": archive.read("mimetype").decode(),
        "size": size,
        "thumbnail_side": max(thumbnail.shape[:2]),
        "layers": [layer.get("name") for layer in layers],
        "difference": float(np.abs(composed(layers) - merged).max()),
        "difference_below_finished": float(np.abs(composed(layers[:-1]) - merged).max()),
    }))
