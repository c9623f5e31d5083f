// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>
#include <string>

namespace moorhaze::desktop {

inline QString text(const std::string& utf8) {
    return QString::fromStdString(utf8);
}

}  // namespace moorhaze::desktop
