// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/work/job.h"

namespace moorhaze {

struct SpinSettings {
    std::string title;        ///< for people and screen readers; empty: the folder's name
    int view_px = 1000;       ///< long side of the pictures that are turned, at most; 100..4000
    bool deep_zoom = false;   ///< tiles of the full size as well
    int quality = 88;         ///< of their JPEG, 1..100
    bool turns_left = false;  ///< the views were shot the other way round: dragging turns accordingly
    bool overwrite = false;   ///< a spin page that is there; nothing else is ever replaced
};

struct SpinPage {
    int views = 0;
    int files = 0;
    std::uintmax_t bytes = 0;
    std::string embed;                 ///< one line of HTML that shows it within another page
    std::vector<std::string> remarks;  ///< views that seem to be missing or doubled, a sentence each
};

/// Writes a page that turns an object when it is dragged, from pictures of a turntable: a folder that opens
/// from the disc, without a server, and asks for nothing outside of it. `index.html`, `spin.js`, `spin.css`,
/// `views.js`, `views/`; with deep zoom `tiles/` (Deep Zoom Image pyramids) and the viewer for them.
/// Written beside and renamed: it is whole or not there.
/// @param pictures  in the order of a full turn, all of one size; at least 2.
/// @throws FileError, BadParameter, Cancelled.   Thread-safe for different folders; peak memory 2 pictures.
SpinPage write_spin_page(const std::vector<std::filesystem::path>& pictures,
                         const std::filesystem::path& folder, const SpinSettings& settings, const Job& job);

/// The numbered pictures of a folder, in the order of their numbers: those that share most of their name.
/// @throws FileError without any.
std::vector<std::filesystem::path> numbered_pictures(const std::filesystem::path& folder);

/// Numbers that are left out or stand twice, by the names; a sentence each.
std::vector<std::string> gaps_in_numbers(const std::vector<std::filesystem::path>& pictures);

}  // namespace moorhaze
