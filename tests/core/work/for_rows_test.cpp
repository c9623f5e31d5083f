// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/for_rows.h"

#include <catch2/catch.hpp>
#include <mutex>
#include <vector>

using namespace moorhaze;

TEST_CASE("every row is visited exactly once", "[work]") {
    std::vector<std::atomic<int>> visits(997);
    for_rows(997, {}, [&](int row) { ++visits[std::size_t(row)]; });
    for (const auto& count : visits) REQUIRE(count == 1);
}

TEST_CASE("no rows is no work", "[work]") {
    for_rows(0, {}, [](int) { FAIL("there is no row"); });
    SUCCEED();
}

TEST_CASE("an exception of a row reaches the caller with its type", "[work]") {
    CHECK_THROWS_AS(for_rows(500, {},
                             [](int row) {
                                 if (row == 137) throw BadParameter("row 137");
                             }),
                    BadParameter);
}

TEST_CASE("a stop request ends the rows with Cancelled", "[work]") {
    std::stop_source stop;
    std::atomic<int> seen = 0;
    const Job job{stop.get_token(), {}};
    CHECK_THROWS_AS(for_rows(100000, job,
                             [&](int) {
                                 if (++seen == 10) stop.request_stop();
                             }),
                    Cancelled);
    // Rows that had begun may end; none begins afterwards.
    CHECK(seen < 1000);
}

TEST_CASE("progress ends at 1 and stays within 0 and 1", "[work]") {
    std::mutex guard;
    std::vector<double> fractions;
    const Job job{{}, [&](double fraction) {
                      const std::lock_guard lock(guard);
                      fractions.push_back(fraction);
                  }};
    for_rows(640, job, [](int) {});
    REQUIRE(fractions.size() >= 10);
    CHECK(fractions.back() == 1.0);
    for (const double fraction : fractions) CHECK((fraction > 0 && fraction <= 1));
}

TEST_CASE("a part of a job reports inside its part", "[work]") {
    double last = -1;
    const Job job{{}, [&](double fraction) { last = fraction; }};
    job.part(0.5, 0.75).checkpoint(0.5);
    CHECK(last == Approx(0.625));
    job.part(0.5, 1).part(0.5, 1).checkpoint(1);
    CHECK(last == Approx(1.0));
}
