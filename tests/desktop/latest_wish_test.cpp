// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/work/latest_wish.h"

#include <atomic>
#include <thread>

#include "tests/desktop/waiting.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::wait_until;

namespace {

void until_stopped(const Job& job) {
    for (;;) {
        job.checkpoint();
        std::this_thread::sleep_for(std::chrono::milliseconds(1));
    }
}

const auto nothing = [](const std::exception&) {};

}  // namespace

TEST_CASE("of many wishes only the newest is answered, and hardly more than that is begun", "[wish]") {
    LatestWish wish;
    std::atomic<int> begun = 0;
    std::vector<int> answers;
    for (int i = 0; i < 20; ++i)
        wish.want(
            [&begun, i](const Job& job) {
                ++begun;
                if (i < 19) until_stopped(job);
                return i;
            },
            [&](int value) { answers.push_back(value); }, nothing);
    wait_until([&] { return !wish.is_busy(); });
    CHECK(answers == std::vector<int>{19});
    CHECK(begun <= 2);  // the first, which had begun, and the last
}

TEST_CASE("after a wish that fails or is dropped the next one is taken", "[wish]") {
    LatestWish wish;
    std::string why;
    int answer = 0;
    wish.want([](const Job&) -> int { throw FileError("heather.jpg: gone"); }, [](int) {},
              [&](const std::exception& error) { why = error.what(); });
    wait_until([&] { return !wish.is_busy(); });
    CHECK(why == "heather.jpg: gone");
    wish.want([](const Job& job) { return until_stopped(job), 1; }, [&](int value) { answer = value; },
              nothing);
    wish.drop();
    wish.want([](const Job&) { return 2; }, [&](int value) { answer = value; }, nothing);
    wait_until([&] { return !wish.is_busy(); });
    CHECK(answer == 2);
}

TEST_CASE("a wish may be wished for while another is answered", "[wish]") {
    LatestWish wish;
    int last = 0;
    std::function<void(int)> count = [&](int value) {
        last = value;
        if (value < 5) wish.want([value](const Job&) { return value + 1; }, count, nothing);
    };
    wish.want([](const Job&) { return 1; }, count, nothing);
    wait_until([&] { return !wish.is_busy(); });
    CHECK(last == 5);
}

TEST_CASE("where wishes follow a moving hand, what runs comes to its end", "[wish]") {
    LatestWish wish(LatestWish::Replaced::comes_to_its_end);
    std::vector<int> answers;
    std::atomic<bool> go = false, begun = false;
    wish.want(
        [&](const Job& job) {
            begun = true;
            while (!go) std::this_thread::sleep_for(std::chrono::milliseconds(1));
            job.checkpoint();
            return 1;
        },
        [&](int value) { answers.push_back(value); }, nothing);
    wait_until([&] { return begun.load(); });
    for (int i = 2; i < 6; ++i)
        wish.want([i](const Job&) { return i; }, [&](int value) { answers.push_back(value); }, nothing);
    go = true;
    wait_until([&] { return !wish.is_busy(); });
    CHECK(answers == std::vector<int>{1, 5});
}

TEST_CASE("nothing is answered to who is gone", "[wish]") {
    bool answered = false;
    {
        LatestWish wish;
        wish.want([](const Job& job) { return until_stopped(job), 1; }, [&](int) { answered = true; },
                  nothing);
    }
    QTest::qWait(20);
    CHECK_FALSE(answered);
}
