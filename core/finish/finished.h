// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "core/finish/finish.h"
#include "core/finish/ground.h"
#include "core/finish/local_light.h"
#include "core/finish/surround.h"
#include "core/picture/colour_space.h"
#include "core/work/job.h"

/// A merged picture finished. The order is always the same, in preview, file and command line:
///
///   0. lens: straightened and its light evened, as a whole, once (with_lens)
///   1. framing: turned and cropped, one resampling where it is turned (Lanczos, three lobes; where a lens is
///      straightened as well, one for both at full size, cubic)
///   2. what lens and sensor added: fringes of colour, noise of luminance and of colour
///   3. ground: what of it is mixed into the subject's edge is taken out
///   4. light: white balance, exposure; vignette; lights, shadows and clarity
///   5. tones: black and white point, middle, curve; by colour channel
///   6. colour: single colours, saturation, vibrance
///   7. detail: sharpening
///   8. ground: put in at its tone
///
/// Steps 2 to 8 work in linear light of the picture's own primaries, in single precision; nothing is encoded
/// in between. What is neutral is left out; where all is, pixels are copied.
namespace moorhaze {

/// A picture to be finished, with what is found out about it once. Shared, immutable.
struct FinishSubject {
    std::vector<Picture> levels;  ///< 16 bit; each half the one before, (n+1)/2 a side, the mean of 2×2
    PixelRect area;               ///< of the finest, reference pixels
    ToneCurve curve;
    ColourSpace space;
    LocalLight local;
    Surround surround;
    GroundMap ground;                          ///< empty where none was picked
    std::optional<cv::Point2d> ground_picked;  ///< what it was found for
    double ground_reach = 0;
    Lens lens;                                   ///< that it was corrected for
    cv::Size lens_frame;                         ///< of the frame that the area lies in, px
    std::shared_ptr<const FinishSubject> plain;  ///< as it was before that; null where it was not
};

/// @param picture  8 or 16 bit.   @param levels  1: the finest alone.
/// @throws BadParameter for an area of another size, Cancelled.   Thread-safe; peak memory 1/3 of the picture
/// for all levels.
std::shared_ptr<const FinishSubject> finish_subject(Picture picture, cv::Point corner, int levels,
                                                    const Job& job);
/// The same with the ground that a finish asks for; itself where it has it already.
std::shared_ptr<const FinishSubject> with_ground(std::shared_ptr<const FinishSubject> subject,
                                                 const Ground& ground, const Job& job);

/// The same corrected for the lens that a finish asks for, or no longer; itself where it is so already.
/// @param frame  size of the frame that its area lies in, px.   @throws as corrected_for_lens().
std::shared_ptr<const FinishSubject> with_lens(std::shared_ptr<const FinishSubject> subject, const Lens& lens,
                                               cv::Size frame, const Job& job);
/// With the lens and the ground that a finish asks for: what finished() needs.
std::shared_ptr<const FinishSubject> prepared(std::shared_ptr<const FinishSubject> subject,
                                              const Finish& finish, cv::Size frame, const Job& job);

/// A part of the finished picture.
/// @param level  0: full size, k: every length divided by 2^k.
/// @param part   pixels of that level of the turned picture; (0, 0) is the level's pixel at the corner of the
///               merge's area. What lies outside of the turned merge is transparent or white, as the framing
///               says (left out: transparent).
/// @return       16 bit, in the picture's profile.
/// @throws BadParameter as check(), or for a lens or ground that the subject was not made with; Cancelled.
/// Thread-safe; peak memory 1 output and some rows.
Picture finished(const FinishSubject& subject, const Finish& finish, int level, PixelRect part,
                 const Job& job);

/// All that is kept, at full size.   @throws as finished(), and kept_of().
Picture finished(const FinishSubject& subject, const Finish& finish, const Job& job);

/// What of a picture lies where on the tone scale.
struct ToneHistogram {
    static constexpr int kBins = 64;
    std::array<double, kBins> share{};            ///< of its pixels, by luminance; dark first
    double black_clipped = 0, white_clipped = 0;  ///< shares of pixels with a channel at its end
    /// The tone below which so much of the picture lies.
    double tone_below(double share_of_all) const;
};
/// @param every  looks at every so many'th pixel across and down, >= 1.
ToneHistogram tone_histogram(const Picture& picture, const ToneCurve& curve, const ColourSpace& space,
                             int every);

/// Linear light around a place, the mean of 9×9 pixels of the merge.   @param place  reference pixels.
/// @throws BadParameter outside of the picture.
cv::Vec3d light_around(const FinishSubject& subject, cv::Point2d place);

/// Black and white point brought to where the picture's tones begin and end; everything else stays.
/// @param before  of the picture with black, white, middle and curve neutral.
Tones auto_tones(Tones tones, const ToneHistogram& before);
/// The same, looking at the subject with the rest of the finish.
Tones auto_tones_of(const FinishSubject& subject, Finish finish);

}  // namespace moorhaze
