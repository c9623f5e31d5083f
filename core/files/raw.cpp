// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/raw.h"

#include <lcms2.h>
#include <libraw/libraw.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <ctime>
#include <memory>

#include "core/files/codecs.h"
#include "core/picture/profile_handle.h"
#include "core/picture/tone_curve.h"
#include "core/work/decode_budget.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

/// Even the tightest raw compression keeps more than this of each sensor value.
constexpr double kFewestBitsPerValue = 0.5;
/// Neighbouring rows without any difference inside: no sensor's noise allows that.
constexpr int kFlatRows = 8;
constexpr double kClippedShare =
    0.97;  // of the white level: where sensors end differs a little from row to row

constexpr int kD65 = 21;  // EXIF, LightSource

[[noreturn]] void fail_raw(const std::filesystem::path& file, const std::string& what) {
    throw FileError(file.string() + ": " + what);
}

constexpr const char* kCutOff =
    "the raw file is cut off or damaged: its pixels are not all there. Copy it again from the card, or "
    "leave this frame out.";

/// LibRaw's own turns (0, 3, 5, 6) as EXIF orientations.
int orientation_of(int flip) {
    switch (flip) {
        case 3:
            return 3;
        case 5:
            return 8;
        case 6:
            return 6;
        default:
            return 1;
    }
}

/// An opened raw file. LibRaw tells of a file's early end only through a call back, not by its result.
class OpenedRaw {
  public:
    explicit OpenedRaw(const std::filesystem::path& file, const Job& job = {}) : file_(file), job_(job) {
        // LibRaw asks between its steps whether to go on.
        raw_->set_progress_handler(
            [](void* own, LibRaw_progress, int, int) {
                return static_cast<const Job*>(own)->stop.stop_requested() ? 1 : 0;
            },
            &job_);
        raw_->set_dataerror_handler([](void* count, const char*, const int) { ++*static_cast<int*>(count); },
                                    &data_errors_);
        check_raw(raw_->open_file(file.c_str()));
        const auto& sizes = raw_->imgdata.sizes;
        if (sizes.width < 16 || sizes.height < 16) fail_raw(file, kCutOff);
        codecs::check_size(file, sizes.width, sizes.height);
        orientation_ = orientation_of(sizes.flip);
        data_errors_ = 0;  // embedded previews may be broken; they are not used
    }

    libraw_data_t& data() { return raw_->imgdata; }
    int orientation() const { return orientation_; }  ///< as EXIF counts

    void unpack() {
        const auto& sizes = raw_->imgdata.sizes;
        std::error_code failure;
        const double bytes = double(std::filesystem::file_size(file_, failure));
        if (!failure && bytes * 8 < kFewestBitsPerValue * sizes.raw_width * sizes.raw_height)
            fail_raw(file_, kCutOff);
        check_raw(raw_->unpack());
        if (data_errors_ > 0) fail_raw(file_, kCutOff);
        check_rows();
    }

    void process() {
        check_raw(raw_->dcraw_process());
        if (data_errors_ > 0) fail_raw(file_, kCutOff);
    }

  private:
    void check_raw(int result) {
        if (result == LIBRAW_SUCCESS) return;
        if (result == LIBRAW_CANCELLED_BY_CALLBACK) throw Cancelled();
        if (result == LIBRAW_UNSUFFICIENT_MEMORY) fail_raw(file_, "there is not enough memory to open it.");
        if (result == LIBRAW_FILE_UNSUPPORTED || result == LIBRAW_NOT_IMPLEMENTED ||
            result == LIBRAW_REQUEST_FOR_NONEXISTENT_IMAGE)
            fail_raw(
                file_,
                "is not a raw file that can be read, whatever its name says. Convert it to DNG or TIFF, or "
                "leave it out.");
        if (result > 0)
            fail_raw(file_, std::string("cannot be read (") + std::strerror(result) + "). Check the disc.");
        fail_raw(file_, kCutOff);
    }

    /// The places of a cut-off file that were never read hold one value, down to the last row; those that
    /// were never written hold zeros, wherever they lie. Light beyond what the sensor holds is one value,
    /// too, and says nothing.
    void check_rows() {
        const auto& rawdata = raw_->imgdata.rawdata;
        const auto& sizes = raw_->imgdata.sizes;
        const double white = kClippedShare * raw_->imgdata.color.maximum;
        auto flat_rows = [&](auto value_at, int per_pixel) {
            int run = 0, zeros = 0, most_zeros = 0;
            for (int y = sizes.top_margin; y < sizes.top_margin + sizes.height; ++y) {
                bool flat = true, clipped = true, zero = true;
                for (int c = 0; c < per_pixel && flat; ++c) {
                    const auto first = value_at(y, sizes.left_margin, c);
                    clipped = clipped && double(first) >= white;
                    zero = zero && first == 0;
                    for (int x = sizes.left_margin; x < sizes.left_margin + sizes.width && flat; ++x)
                        flat = value_at(y, x, c) == first;
                }
                run = flat && !clipped ? run + 1 : 0;
                zeros = flat && zero ? zeros + 1 : 0;
                most_zeros = std::max(most_zeros, zeros);
            }
            return std::max(run, most_zeros);
        };
        int flat = 0;
        if (rawdata.raw_image) {
            const int pitch = int(sizes.raw_pitch / 2);
            flat = flat_rows([&](int y, int x, int) { return rawdata.raw_image[y * pitch + x]; }, 1);
        } else if (rawdata.color4_image || rawdata.color3_image) {
            const int channels = rawdata.color4_image ? 4 : 3;
            const ushort* values = rawdata.color4_image ? rawdata.color4_image[0] : rawdata.color3_image[0];
            const int pitch = int(sizes.raw_pitch / 2);
            flat = flat_rows([&](int y, int x, int c) { return values[y * pitch + x * channels + c]; }, 3);
        }
        if (flat >= kFlatRows) fail_raw(file_, kCutOff);
    }

    std::filesystem::path file_;
    Job job_;
    std::unique_ptr<LibRaw> raw_ = std::make_unique<LibRaw>();  // too large for a thread's stack
    int data_errors_ = 0, orientation_ = 1;
};

double multiplier(const float* noted, int channel) {
    return noted[1] > 0 && noted[channel] > 0 ? double(noted[channel]) / noted[1] : 0;
}

ShootingData raw_shooting_of(const std::filesystem::path& file, OpenedRaw& opened) {
    const libraw_data_t& data = opened.data();
    ShootingData shooting = read_shooting_data(file);
    shooting.orientation = opened.orientation();
    auto fill = [](std::optional<double>& value, double noted) {
        if (!value && noted > 0) value = noted;
    };
    fill(shooting.iso, data.other.iso_speed);
    fill(shooting.exposure_s, data.other.shutter);
    fill(shooting.f_number, data.other.aperture);
    fill(shooting.focal_length_mm, data.other.focal_len);
    if (!shooting.taken && data.other.timestamp > 0) {
        std::tm moment{};
        const std::time_t seconds = data.other.timestamp;
        localtime_r(&seconds, &moment);
        char text[32];
        std::strftime(text, sizeof text, "%Y-%m-%d %H:%M:%S", &moment);
        shooting.taken = text;
    }
    if (shooting.camera_model.empty()) {
        shooting.camera_maker = data.idata.make;
        shooting.camera_model = data.idata.model;
    }
    if (shooting.lens.empty()) shooting.lens = data.lens.Lens;
    if (shooting.camera.empty())
        shooting.camera = std::string(data.idata.make) + (data.idata.model[0] ? " " : "") + data.idata.model;
    return shooting;
}

void set_up(libraw_output_params_t& params, Demosaic demosaic, int shrink) {
    params.output_color = 0;  // the camera's own colours: the way out is ours
    params.output_bps = 16;
    params.gamm[0] = params.gamm[1] = 1;
    params.no_auto_bright = 1;
    params.adjust_maximum_thr = 0;  // never after what this one frame holds
    params.highlight = 0;
    params.use_camera_wb = params.use_auto_wb = 0;
    params.user_flip = 0;
    params.half_size = shrink > 1;
    params.user_qual = demosaic == Demosaic::bilinear ? 0 : demosaic == Demosaic::ppg ? 2 : 3;
}

void set_white_balance(libraw_output_params_t& params, double red, double blue) {
    params.user_mul[0] = float(red);
    params.user_mul[1] = params.user_mul[3] = 1;
    params.user_mul[2] = float(blue);
}

/// Linear light of primaries around D65 to CIE XYZ, by the chromaticities of a standard.
cv::Matx33d xyz_of(double rx, double ry, double gx, double gy, double bx, double by) {
    const cv::Matx33d primaries(rx / ry, gx / gy, bx / by, 1, 1, 1, (1 - rx - ry) / ry, (1 - gx - gy) / gy,
                                (1 - bx - by) / by);
    const cv::Vec3d white(0.3127 / 0.3290, 1, (1 - 0.3127 - 0.3290) / 0.3290);
    const cv::Vec3d strength = primaries.inv() * white;
    return primaries * cv::Matx33d::diag(cv::Vec3d(strength));
}
cv::Matx33d xyz_of_srgb() {
    return xyz_of(0.640, 0.330, 0.300, 0.600, 0.150, 0.060);
}
cv::Matx33d srgb_to_bt2020() {
    return xyz_of(0.708, 0.292, 0.170, 0.797, 0.131, 0.046).inv() * xyz_of_srgb();
}

struct CameraColours {
    cv::Matx33d from_xyz;
    int illuminant;  ///< EXIF, LightSource
};

/// LibRaw's own table for known cameras, which is for D65; else what a DNG says, for D65 rather than for
/// another light; else those that the picture is developed with then: the camera's are taken for sRGB's.
CameraColours colours_of(const libraw_colordata_t& colour) {
    cv::Matx33d matrix;
    for (int row = 0; row < 3; ++row)
        for (int c = 0; c < 3; ++c) matrix(row, c) = colour.cam_xyz[row][c];
    if (cv::norm(matrix) > 0) return {matrix, kD65};
    for (const bool of_d65 : {true, false})
        for (const auto& dng : colour.dng_color) {
            if (of_d65 && dng.illuminant != kD65) continue;
            for (int row = 0; row < 3; ++row)
                for (int c = 0; c < 3; ++c) matrix(row, c) = dng.colormatrix[row][c];
            if (cv::norm(matrix) > 0) return {matrix, int(dng.illuminant)};
        }
    return {xyz_of_srgb().inv(), kD65};
}

/// The camera as DNG names it: once with its maker, though many models' names begin with it.
std::string unique_camera(const libraw_data_t& data) {
    if (data.color.UniqueCameraModel[0]) return data.color.UniqueCameraModel;
    const std::string maker = data.idata.normalized_make, model = data.idata.normalized_model;
    return model.starts_with(maker + " ") ? model : maker.empty() ? model : maker + " " + model;
}

}  // namespace

const std::vector<std::string>& raw_endings() {
    static const std::vector<std::string> endings = {".dng", ".cr2", ".cr3", ".crw", ".nef", ".nrw", ".arw",
                                                     ".sr2", ".srf", ".raf", ".orf", ".rw2", ".rwl", ".pef",
                                                     ".srw", ".x3f", ".3fr", ".fff", ".iiq", ".mrw", ".erf",
                                                     ".mef", ".mos", ".kdc", ".dcr", ".raw"};
    return endings;
}

const ColourProfile& working_profile() {
    static const ColourProfile profile =
        profile_of("BT.2020 primaries, sRGB curve", {{0.708, 0.292, 1}, {0.170, 0.797, 1}, {0.131, 0.046, 1}},
                   srgb_curve());
    return profile;
}

RawInfo read_raw_info(const std::filesystem::path& file) {
    OpenedRaw opened(file);
    const libraw_data_t& data = opened.data();
    RawInfo info;
    info.shooting = raw_shooting_of(file, opened);
    info.width = data.sizes.width;
    info.height = data.sizes.height;
    if (info.shooting.orientation >= 5) std::swap(info.width, info.height);
    for (unsigned white = data.color.maximum; white > 0; white /= 2) ++info.bits;
    info.noted_red = multiplier(data.color.cam_mul, 0);
    info.noted_blue = multiplier(data.color.cam_mul, 2);
    return info;
}

namespace {

/// @throws BadParameter.
void check_development(const Development& development) {
    if (development.black_shift < 0 || development.black_shift > 0.5 || development.white_shift < 0 ||
        development.white_shift > 0.5)
        throw BadParameter("black and white point of raw files shift by 0 to 0.5 of full scale");
    if (std::abs(development.exposure_ev) > 4)
        throw BadParameter("the exposure of raw files changes by -4 to 4 EV");
    if (development.red < 0 || development.blue < 0 || development.red > 20 || development.blue > 20)
        throw BadParameter("white balance multipliers lie between 0 and 20");
    if (1 - development.black_shift - development.white_shift < 0.05)
        throw BadParameter("black and white point of raw files need 0.05 of full scale between them");
}

/// Multipliers of red and blue against green: as chosen, or as the file notes them.
cv::Vec2d white_balance_of(const libraw_data_t& data, const Development& development) {
    auto or_noted = [&](double chosen, int channel) {
        if (chosen > 0) return chosen;
        const double noted = multiplier(data.color.cam_mul, channel);
        // A file that notes none: the camera's daylight values.
        return noted > 0 ? noted : std::max(0.01, multiplier(data.color.pre_mul, channel));
    };
    return {or_noted(development.red, 0), or_noted(development.blue, 2)};
}

/// White-balanced light of the camera to linear sRGB.
cv::Matx33d matrix_to_srgb(const libraw_data_t& data) {
    cv::Matx33d to_srgb;
    for (int row = 0; row < 3; ++row)
        for (int c = 0; c < 3; ++c) to_srgb(row, c) = data.color.rgb_cam[row][c];
    return cv::norm(to_srgb) == 0 || data.idata.colors != 3 ? cv::Matx33d::eye() : to_srgb;
}

}  // namespace

Picture develop_raw(const std::filesystem::path& file, const Development& development, int shrink,
                    const Job& job) {
    check_development(development);
    OpenedRaw opened(file, job);
    libraw_data_t& data = opened.data();
    // Sensor values, four colours of 16 bit a pixel, and the picture lying and upright.
    const double pixels = double(data.sizes.raw_width) * data.sizes.raw_height;
    const DecodeBudget::Share share(decode_budget(), std::size_t(pixels * (shrink > 1 ? 8 : 22)), job);
    opened.unpack();
    set_up(data.params, development.demosaic, shrink);
    const cv::Vec2d balance = white_balance_of(data, development);
    set_white_balance(data.params, balance[0], balance[1]);
    opened.process();

    const auto& sizes = data.sizes;
    const double span = 1 - development.black_shift - development.white_shift;
    const double gain = std::exp2(development.exposure_ev) / (65535 * span);
    const cv::Matx33f matrix = cv::Matx33f(srgb_to_bt2020() * matrix_to_srgb(data) * gain);
    const bool grey = data.idata.colors == 1;
    const float black = float(65535 * development.black_shift);
    const ToneCurve curve(working_profile());
    cv::Mat3w stored(sizes.iheight, sizes.iwidth);
    for_rows(stored.rows, {}, [&](int y) {
        std::vector<float> linear(std::size_t(stored.cols) * 3);
        for (int x = 0; x < stored.cols; ++x) {
            const ushort* camera = data.image[y * stored.cols + x];
            const cv::Vec3f light = matrix * cv::Vec3f(camera[0] - black, camera[grey ? 0 : 1] - black,
                                                       camera[grey ? 0 : 2] - black);
            for (int c = 0; c < 3; ++c) linear[std::size_t(x) * 3 + std::size_t(c)] = light[c];
        }
        curve.encode_row_16(linear.data(), reinterpret_cast<std::uint16_t*>(stored.ptr(y)), stored.cols);
    });
    const int orientation = development.orientation > 0 ? development.orientation : opened.orientation();
    return {codecs::upright(stored, orientation), {}, working_profile()};
}

std::vector<std::uint8_t> read_raw_thumbnail(const std::filesystem::path& file) {
    const auto raw = std::make_unique<LibRaw>();
    if (raw->open_file(file.c_str()) != LIBRAW_SUCCESS || raw->unpack_thumb() != LIBRAW_SUCCESS) return {};
    const auto& thumbnail = raw->imgdata.thumbnail;
    if (thumbnail.tformat != LIBRAW_THUMBNAIL_JPEG || !thumbnail.thumb) return {};
    const auto* bytes = reinterpret_cast<const std::uint8_t*>(thumbnail.thumb);
    return {bytes, bytes + thumbnail.tlength};
}

RawRendering raw_rendering(const std::filesystem::path& file, const Development& development) {
    check_development(development);
    OpenedRaw opened(file);
    libraw_data_t& data = opened.data();
    if (data.idata.colors != 3)
        throw BadParameter(file.string() +
                           ": its sensor has no three colours, so it becomes no DNG; use TIFF");
    const cv::Vec2d balance = white_balance_of(data, development);
    // LibRaw scales the smallest multiplier to 1, so that no channel is lifted above the sensor's white.
    cv::Vec3d multipliers(balance[0], 1, balance[1]);
    multipliers *= 1 / *std::min_element(multipliers.val, multipliers.val + 3);
    RawRendering rendering;
    const double gain =
        std::exp2(development.exposure_ev) / (1 - development.black_shift - development.white_shift);
    const cv::Matx33d balanced_from_picture = (srgb_to_bt2020() * matrix_to_srgb(data) * gain).inv();
    for (int c = 0; c < 3; ++c) {
        for (int k = 0; k < 3; ++k)
            rendering.camera_from_picture(c, k) = balanced_from_picture(c, k) / multipliers[c];
        rendering.camera_offset[c] = development.black_shift / multipliers[c];
        rendering.neutral[c] = 1 / multipliers[c];
    }
    const CameraColours colours = colours_of(data.color);
    rendering.from_xyz = colours.from_xyz;
    rendering.illuminant = colours.illuminant;
    rendering.exposure_ev = development.exposure_ev;
    rendering.camera = unique_camera(data);
    return rendering;
}

}  // namespace moorhaze
