// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "cli/commands.h"
#include "core/finish/finished.h"
#include "core/finish/hand_over.h"

namespace moorhaze::cli {

/// What is typed about a finish and the file that it leaves as; the same for `finish` and `merge`. What was
/// not typed stays as the look, or the project, has it.
struct FinishOptions {
    std::string look, crop, level, corners, grey, curve, ground, noise;
    std::optional<double> turn_deg, warmth_k, violet, exposure_ev, lights, shadows, black, white, middle,
        saturation, vibrance, clarity, sharpening, radius_px, threshold, colour_noise, corners_ev,
        edge_fringes, ground_reach, keep_shadow, ground_tone;
    std::vector<std::string> colours;
    bool auto_tones = false, correct_lens = false, lateral_fringes = false;

    std::string size, profile, compression, intent;
    std::optional<int> bits, quality;
    std::optional<double> output_sharpening;
    std::optional<std::string> title, description, creator, rights, keywords;
    bool no_finish = false, with_private = false;

    void add_to(CLI::App& command);

    /// @param area  of the merge or picture, reference pixels.
    /// @throws BadParameter, FileError for a look that is none.
    Finish applied_to(Finish finish, PixelRect area) const;
    /// What depends on the picture itself: its noise, its lateral fringes, a grey place and tones that fit.
    /// @throws BadParameter where too little can be told.
    Finish fitted_to(Finish finish, const FinishSubject& subject) const;
    /// The file's kind is that of its name.
    Output output_for(Output output, const std::string& file) const;
    /// What the files shall say.
    HandOver said_for(HandOver own) const;
};

/// What is finished, and where layers and a DNG come from.
struct ToFinish {
    Picture picture;
    cv::Point corner;  ///< reference pixels
    cv::Size frame;    ///< size of the reference frame; of a picture alone its own
    Finish finish;
    HandOver hand_over;
    ShootingData shooting;
    std::string made_with;
    /// Of the merge and what was painted; empty: there are none.
    std::function<void(const Finish& finish, const TakeLayer& take, const Job& job)> layers;
    std::optional<RawRendering> raw;
};

/// Finishes and writes: one function for `finish` and `merge`.
/// @param overwrite  a file that is there.
/// @return           the finish as it was used.
Finish finish_and_write(const FinishOptions& options, const std::string& file, const ToFinish& own,
                        bool overwrite, const Job& job);

}  // namespace moorhaze::cli
