# SPDX-License-Identifier: GPL-3.0-or-later
"""Prints what scikit-image (Debian's python3-skimage) measures of two pictures, as JSON."""
import json
import sys

import numpy as np
from skimage import io
from skimage.metrics import peak_signal_noise_ratio, structural_similarity


def luma(name):
    pixels = io.imread(name)
    return (pixels[..., :3].astype(float) / np.iinfo(pixels.dtype).max) @ [0.2126, 0.7152, 0.0722]


one, other = luma(sys.argv[1]), luma(sys.argv[2])
print(json.dumps({
    "psnr": peak_signal_noise_ratio(one, other, data_range=1),
    "ssim": structural_similarity(one, other, data_range=1, gaussian_weights=True, sigma=1.5, use_sample_covariance=False),
    "shape": list(one.shape),
}))
