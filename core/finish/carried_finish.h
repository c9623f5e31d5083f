// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"

namespace moorhaze {

/// The finish as it lies in another reference plane: what is kept, the ground that was picked and the
/// sharpening that was painted show the same things there, as closely as one turn and one size allow. A
/// picture that was not turned stays so: it lies as its reference frame does.
/// @param to_plane  places of its own plane to those of the other.
/// @throws BadParameter where places would lie outside of every picture.   Thread-safe.
Finish carried_over(Finish finish, const cv::Matx33d& to_plane);

}  // namespace moorhaze
