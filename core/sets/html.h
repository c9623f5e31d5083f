// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

/// Private to core/sets: texts within pages.
namespace moorhaze {

/// A text as it stands in HTML, also in an attribute.
std::string in_html(const std::string& text);
/// A path as a relative link: what has a meaning in addresses is escaped (RFC 3986).
std::string as_link(const std::string& path);

}  // namespace moorhaze
