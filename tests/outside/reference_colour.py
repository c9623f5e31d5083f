# SPDX-License-Identifier: GPL-3.0-or-later
"""Prints what scikit-image (Debian's python3-skimage) and Pillow make of the same numbers, as JSON.

lab:     XYZ relative to D50, one triple a line on stdin, to CIE L*a*b*.
differ:  two L*a*b* triples a line on stdin, their CIEDE2000 difference (Sharma, Wu & Dalal 2005).
resize:  a float TIFF of one channel, a width and a height: resized by Pillow's Lanczos kernel to a float TIFF.
"""
import json
import sys

import numpy as np


def numbers():
    return np.array([[float(word) for word in line.split()] for line in sys.stdin if line.strip()])


if sys.argv[1] == "lab":
    from skimage.color import xyz2lab
    white = np.array([0.9642, 1.0, 0.8249])
    from skimage.color import colorconv
    # Scaled to the D65 that the function knows for certain: L*a*b* looks at shares of the white alone.
    d65 = np.array(colorconv.get_xyz_coords("D65", "2"))
    print(json.dumps(xyz2lab(numbers() / white * d65, illuminant="D65", observer="2").tolist()))
elif sys.argv[1] == "differ":
    from skimage.color import deltaE_ciede2000
    rows = numbers()
    print(json.dumps(deltaE_ciede2000(rows[:, :3], rows[:, 3:]).tolist()))
elif sys.argv[1] == "resize":
    from PIL import Image
    own = Image.open(sys.argv[2])
    assert own.mode == "F", own.mode
    own.resize((int(sys.argv[4]), int(sys.argv[5])), Image.LANCZOS).save(sys.argv[3])
