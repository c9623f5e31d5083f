# SPDX-License-Identifier: GPL-3.0-or-later
"""Fills masked places by scikit-image's biharmonic inpainting: PICTURE MASK OUT, 8-bit files."""
import sys

import numpy as np
from skimage import io
from skimage.restoration import inpaint_biharmonic

picture = io.imread(sys.argv[1])[..., :3].astype(float) / 255
mask = io.imread(sys.argv[2])[..., 0] > 127
filled = inpaint_biharmonic(picture, mask, channel_axis=-1)
io.imsave(sys.argv[3], (np.clip(filled, 0, 1) * 255 + 0.5).astype(np.uint8), check_contrast=False)
