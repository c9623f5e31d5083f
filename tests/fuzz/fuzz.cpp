// SPDX-License-Identifier: GPL-3.0-or-later
// What comes from outside, made by chance (libFuzzer, with the address and undefined behaviour sanitizers).
// One program; MOORHAZE_FUZZ names the target.
#include <cstdio>
#include <cstdlib>

#include "core/work/decode_budget.h"
#include "core/work/errors.h"
#include "tests/fuzz/targets.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace moorhaze;
    static const test::FuzzTarget& target = [&]() -> const test::FuzzTarget& {
        const char* name = std::getenv("MOORHAZE_FUZZ");
        const auto found = test::fuzz_targets().find(name ? name : "");
        if (found == test::fuzz_targets().end()) {
            std::fprintf(stderr, "MOORHAZE_FUZZ names a target:");
            for (const auto& [own, unused] : test::fuzz_targets()) std::fprintf(stderr, " %s", own.c_str());
            std::fprintf(stderr, "\n");
            std::exit(2);
        }
        decode_budget().set_bytes(std::size_t(64) << 20);
        return found->second;
    }();
    try {
        target(data, size);
    } catch (const Error&) {
        // Refused, in words.
    }
    return 0;
}
