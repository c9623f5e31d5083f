// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/files/shooting_data.h"
#include "core/finish/finish.h"
#include "core/picture/tone_curve.h"
#include "core/work/job.h"

/// What Debian's lens database (lensfun, package liblensfun-data-v1) knows of the lens that a picture was
/// taken with: how it bends straight lines, and how its light falls off towards the corners.
namespace moorhaze {

/// The lens and how it stood, with both corrections on.
/// @return  of the database's own name for it; nothing where the shooting data name no lens or the database
/// has none of that name.
/// @throws FileError where there is no database, with the remedy.   Thread-safe.
std::optional<Lens> lens_of(const ShootingData& shooting);

/// A picture straightened, and its light evened, as far as the database knows how: resampled once (cubic
/// convolution on a square-root scale), enlarged just so far that no corner is empty.
/// @param picture  16 bit; transparency moves with it.
/// @param area     of the frame that it shows;  @param frame  size of the whole frame, px.
/// @throws BadParameter for a lens that the database has not, FileError without a database, Cancelled.
/// Thread-safe; peak memory one output and some tiles in linear light.
Picture corrected_for_lens(const Picture& picture, const ToneCurve& curve, const Lens& lens, PixelRect area,
                           cv::Size frame, const Job& job);

/// Light of a part of the straightened picture as it lies when it is turned: resampled once, instead of once
/// for the lens and once for the turn.
/// @param to_straight  pixels of the turned picture to those of the straightened one.
/// @param part         of the turned picture; where it reaches beyond, the border is repeated.
/// @throws as corrected_for_lens.   Thread-safe; peak memory one output.
cv::Mat3f straightened_light(const Picture& picture, const ToneCurve& curve, const Lens& lens, PixelRect area,
                             cv::Size frame, const cv::Matx33d& to_straight, PixelRect part, const Job& job);

}  // namespace moorhaze
