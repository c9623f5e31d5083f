// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string_view>

/// Private to core/sets: files of a spin page, as they stand in core/sets/spin, built into the program.
namespace moorhaze {

struct SpinFile {
    const char* name;  ///< relative to the page's folder
    std::string_view bytes;
};
SpinFile spin_index();
SpinFile spin_style();
SpinFile spin_script();
SpinFile spin_viewer();
SpinFile spin_viewer_licence();

}  // namespace moorhaze
