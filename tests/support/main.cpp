// SPDX-License-Identifier: GPL-3.0-or-later
#define CATCH_CONFIG_RUNNER
#include "tests/support/main.h"

#include <catch2/catch.hpp>
#include <opencv2/core.hpp>

namespace moorhaze::test {

std::function<int(int, char**, const std::function<int()>&)>& around_all_tests() {
    static std::function<int(int, char**, const std::function<int()>&)> around =
        [](int, char**, const std::function<int()>& run) { return run(); };
    return around;
}

}  // namespace moorhaze::test

int main(int argc, char** argv) {
#ifdef MOORHAZE_STD_THREADS
    // OpenCV's own threads hand over by locks that ThreadSanitizer cannot see: Debian's is not instrumented.
    cv::setNumThreads(1);
#endif
    return moorhaze::test::around_all_tests()(argc, argv, [&] { return Catch::Session().run(argc, argv); });
}
