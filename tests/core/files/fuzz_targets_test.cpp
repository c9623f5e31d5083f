// SPDX-License-Identifier: GPL-3.0-or-later
// Every seed and every find of the fuzzers, and each of them a little otherwise, without the fuzzers'
// library: the same bytes on every machine. `tools/fuzz` looks for new ones.
#include <algorithm>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>

#include "core/work/decode_budget.h"
#include "core/work/errors.h"
#include "tests/fuzz/targets.h"

using namespace moorhaze;

namespace {

using Bytes = std::vector<std::uint8_t>;

std::vector<Bytes> seeds_of(const std::string& target) {
    std::vector<std::filesystem::path> files;
    const std::filesystem::path folder = std::filesystem::path(MOORHAZE_FUZZ_SEEDS) / target;
    if (std::filesystem::is_directory(folder))
        for (const auto& entry : std::filesystem::directory_iterator(folder)) files.push_back(entry.path());
    std::sort(files.begin(), files.end());
    std::vector<Bytes> seeds{{}};  // nothing is something that a file may hold
    for (const auto& file : files) {
        std::ifstream in(file, std::ios::binary);
        seeds.emplace_back(std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>());
    }
    return seeds;
}

int number_from(const char* variable, int otherwise) {
    const char* text = std::getenv(variable);
    return text ? std::atoi(text) : otherwise;
}

/// Cut off, changed here and there, a part of it twice.
Bytes a_little_otherwise(Bytes bytes, std::mt19937& chance) {
    if (bytes.empty()) bytes.resize(chance() % 64);
    for (int changes = 1 + int(chance() % 6); changes > 0 && !bytes.empty(); --changes) {
        const std::size_t at = chance() % bytes.size();
        switch (chance() % 5) {
            case 0:
                bytes[at] = std::uint8_t(chance());
                break;
            case 1:
                bytes[at] ^= std::uint8_t(1U << (chance() % 8));
                break;
            case 2:
                bytes.resize(at);
                break;
            case 3: {
                const Bytes part(bytes.begin(), bytes.begin() + std::ptrdiff_t(at));
                bytes.insert(bytes.begin() + std::ptrdiff_t(chance() % (at + 1)), part.begin(), part.end());
                break;
            }
            default:
                bytes.insert(bytes.begin() + std::ptrdiff_t(at), std::uint8_t(chance()));
        }
        if (bytes.size() > 40'000) bytes.resize(40'000);
    }
    return bytes;
}

}  // namespace

TEST_CASE("what comes from outside is taken or refused in words, and comes back as it was", "[strangers]") {
    const std::size_t before = decode_budget().bytes();
    decode_budget().set_bytes(std::size_t(64) << 20);
    for (const auto& [name, target] : test::fuzz_targets()) {
        std::mt19937 chance(unsigned(number_from("MOORHAZE_SEED", 36)));
        const std::vector<Bytes> seeds = seeds_of(name);
        const int variants = number_from("MOORHAZE_VARIANTS", 600) / int(seeds.size());
        int taken = 0, refused = 0;
        for (const Bytes& seed : seeds)
            for (int i = 0; i <= variants; ++i) {
                const Bytes own = i == 0 ? seed : a_little_otherwise(seed, chance);
                try {
                    target(own.data(), own.size());
                    ++taken;
                } catch (const Error& error) {
                    INFO(name << ": " << error.what());
                    CHECK(std::string(error.what()).size() > 10);  // a sentence
                    ++refused;
                }
            }
        INFO(name << ": " << taken << " taken, " << refused << " refused");
        CHECK(taken > 0);
    }
    decode_budget().set_bytes(before);
}
