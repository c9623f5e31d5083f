#include "core/merge/band_energy.h"

#include <algorithm>
#include <vector>

#include "core/picture/blur.h"
#include "core/work/for_rows.h"

namespace moorhaze {

cv::Mat1f band_energy(const cv::Mat1f& band, double sigma_px, const Job& job) {
    cv::Mat1f energy(band.size());
    for_rows(band.rows, job, [&](int y) {
        const float* from = band[y];
        float* to = energy[y];
        for (int x = 0; x < band.cols; ++x) to[x] = from[x] * from[x];
    });
    return gaussian_blur(energy, sigma_px, job);
}

float quiet_energy(const cv::Mat1f& energy, double share) {
    std::vector<float> some;
    const int step = energy.total() > 40000 ? 4 : 1;
    for (int y = 0; y < energy.rows; y += step)
        for (int x = 0; x < energy.cols; x += step) some.push_back(energy(y, x));
    const auto at = some.begin() + long(double(some.size() - 1) * share);
    std::nth_element(some.begin(), at, some.end());
    return *at;
}

}  // namespace moorhaze
