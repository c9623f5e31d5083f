// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace moorhaze {

/// How the colours between the sensor's coloured pixels are made.
enum class Demosaic {
    bilinear,  ///< quick, softer, with colour fringes at edges
    ppg,       ///< patterned pixel grouping: quick and clean
    ahd        ///< adaptive homogeneity-directed: the finest detail
};

/// How stored pixels become a picture. One set of values holds for all frames of a series; all but
/// `orientation` is about camera raw files.
struct Development {
    int orientation = 0;       ///< how the stored pixels lie, as EXIF counts (1..8); 0: as the file says
    double red = 0, blue = 0;  ///< white balance: multipliers against green; 0: what the frame itself notes
    double exposure_ev = 0;    ///< brightens linear light, -4..4
    double black_shift = 0;    ///< raises the camera's own black point by this share of full scale, 0..0.5
    double white_shift = 0;    ///< lowers the camera's own white point by this share of full scale, 0..0.5
    Demosaic demosaic = Demosaic::ahd;
    bool operator==(const Development&) const = default;
};

}  // namespace moorhaze
