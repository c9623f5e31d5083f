// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <functional>
#include <map>
#include <string>

namespace moorhaze::test {

/// Something from outside that bytes stand for: it is taken or refused in words (Error), and what is taken
/// comes back as it was; anything else ends the program.
using FuzzTarget = std::function<void(const std::uint8_t* data, std::size_t size)>;

/// By name. Files lie in memory, for the life of the program. Not thread-safe.
const std::map<std::string, FuzzTarget>& fuzz_targets();

}  // namespace moorhaze::test
