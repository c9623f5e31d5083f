// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/sharp_marks.h"

#include "core/focus/focus_marks.h"

namespace moorhaze::desktop {

void paint_sharp_marks(cv::Mat3b& picture, double reach, const Job& job) {
    // Blended, so that what they stand on can still be seen.
    const cv::Vec3b violet(0xc3, 0x6f, 0xf0);
    const cv::Mat1b marks = focus_marks(picture, reach, job);
    for (int y = 0; y < picture.rows; ++y)
        for (int x = 0; x < picture.cols; ++x)
            if (marks(y, x))
                for (int c = 0; c < 3; ++c) picture(y, x)[c] = uchar((picture(y, x)[c] + 3 * violet[c]) / 4);
}

}  // namespace moorhaze::desktop
