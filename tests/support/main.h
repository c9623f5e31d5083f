// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

namespace moorhaze::test {

/// Set before main() by programs whose tests need something that lives around them all, as an application
/// object.
std::function<int(int, char**, const std::function<int()>&)>& around_all_tests();

}  // namespace moorhaze::test
