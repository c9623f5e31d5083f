// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <functional>
#include <vector>

namespace moorhaze::bench {

/// How long something took, again and again.
struct Times {
    std::vector<double> ms;
    void take(const std::function<void()>& work) {
        const auto begin = std::chrono::steady_clock::now();
        work();
        ms.push_back(
            std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begin).count());
    }
    double at(double share) {
        std::sort(ms.begin(), ms.end());
        return ms[std::min(ms.size() - 1, std::size_t(share * double(ms.size())))];
    }
    void print(const char* what) {
        std::printf("%-44s median %7.2f ms, 95 of 100 %7.2f ms, worst %7.2f ms\n", what, at(0.5), at(0.95),
                    at(1));
    }
};

}  // namespace moorhaze::bench
