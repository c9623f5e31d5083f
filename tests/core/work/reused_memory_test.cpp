// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/reused_memory.h"

#include <catch2/catch.hpp>
#include <opencv2/core.hpp>
#include <thread>

using namespace moorhaze;

TEST_CASE("memory of large pictures is used again within a scope, and given back after it", "[work]") {
    CHECK(ReusedMemory::kept_bytes() == 0);
    {
        const ReusedMemory scope;
        const uchar* first = nullptr;
        {
            const cv::Mat picture(1000, 1000, CV_32FC3);
            first = picture.data;
        }
        CHECK(ReusedMemory::kept_bytes() == 12'000'000);
        {
            // A little smaller fits too; much smaller would waste it.
            const cv::Mat again(980, 1000, CV_32FC3), small(600, 1000, CV_32FC3);
            CHECK(again.data == first);
            CHECK(small.data != first);
        }
        { const ReusedMemory inner; }
        CHECK(ReusedMemory::kept_bytes() > 0);
        // What is fresh takes the place of what is kept.
        const cv::Mat larger(3000, 1000, CV_32FC3);
        CHECK(ReusedMemory::kept_bytes() == 0);
    }
    CHECK(ReusedMemory::kept_bytes() == 0);
}

TEST_CASE("pictures outlive the scope they were made in, and hold their own", "[work]") {
    cv::Mat1f kept, shared;
    {
        const ReusedMemory scope;
        kept = cv::Mat1f(800, 800, 1.5f);
        shared = kept;
        kept.release();
        const cv::Mat1f other(800, 800, 2.5f);
        CHECK(other.data != shared.data);
    }
    CHECK(cv::countNonZero(shared != 1.5f) == 0);
}

TEST_CASE("threads may take and give back at once", "[work]") {
    const ReusedMemory scope;
    std::vector<std::jthread> threads;
    std::vector<int> wrong(4);
    for (int t = 0; t < 4; ++t)
        threads.emplace_back([t, &wrong] {
            for (int i = 0; i < 50; ++i) {
                const cv::Mat1f own(600 + 10 * (i % 3), 600, float(t));
                wrong[std::size_t(t)] += cv::countNonZero(own != float(t));
            }
        });
    threads.clear();
    for (const int count : wrong) CHECK(count == 0);
}
