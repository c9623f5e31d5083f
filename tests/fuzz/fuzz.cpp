// SPDX-License-Identifier: GPL-3.0-or-later
// What comes from outside, made by chance (libFuzzer, with the address and undefined behaviour sanitizers):
// everything is taken or refused in words, and what is taken comes back as it was. One program; MOORHAZE_FUZZ
// names the target.
#include <unistd.h>

#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <functional>
#include <map>
#include <string>

#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "core/finish/articles.h"
#include "core/finish/carried_finish.h"
#include "core/finish/finish_json.h"
#include "core/finish/hand_over.h"
#include "core/mend/stroke_rendering.h"
#include "core/picture/warp.h"
#include "core/project/project_json.h"
#include "core/project/sound.h"
#include "core/sets/follow_recipe.h"
#include "core/work/decode_budget.h"
#include "core/work/errors.h"

namespace {

using namespace moorhaze;
namespace fs = std::filesystem;

[[noreturn]] void wrong(const char* what) {
    std::fprintf(stderr, "fuzz: %s\n", what);
    std::abort();
}

/// Numbers and choices out of the bytes, until there are none.
class Bytes {
  public:
    Bytes(const std::uint8_t* data, std::size_t size) : at_(data), end_(data + size) {}
    bool empty() const { return at_ == end_; }
    int byte() { return empty() ? 0 : *at_++; }
    int below(int end) { return byte() % end; }
    /// Any double that the bytes spell, not-a-numbers and infinities among them.
    double any() {
        double value = 0;
        std::uint8_t raw[sizeof value] = {};
        for (std::uint8_t& own : raw) own = std::uint8_t(byte());
        std::memcpy(&value, raw, sizeof value);
        return value;
    }
    double within(double most) { return (byte() * 256 + byte()) / 65535.0 * most; }

  private:
    const std::uint8_t *at_, *end_;
};

/// Bytes as a file with an ending; one for the life of the program, in memory.
fs::path as_file(const std::uint8_t* data, std::size_t size, const std::string& ending) {
    static const fs::path folder = [] {
        const fs::path own = fs::path("/dev/shm") / ("moorhaze-fuzz-" + std::to_string(getpid()));
        fs::create_directories(own);
        return own;
    }();
    const fs::path file = folder / ("f" + ending);
    std::ofstream(file, std::ios::binary).write(reinterpret_cast<const char*>(data), std::streamsize(size));
    return file;
}

void decode(const std::uint8_t* data, std::size_t size, const std::string& ending) {
    const fs::path file = as_file(data, size, ending);
    read_picture_info(file);
    const Picture picture = read_picture(file);
    if (picture.pixels.empty()) wrong("a picture of nothing");
    read_thumbnail(file, 64, {});
}

void render_strokes_by_chance(const std::uint8_t* data, std::size_t size) {
    Bytes bytes(data, size);
    const PixelRect area(0, 0, 40, 30);
    Picture merge{cv::Mat(area.size(), CV_16UC3), {}, {}};
    cv::randu(merge.pixels, 0, 65535);
    std::vector<Stroke> strokes;
    while (!bytes.empty() && strokes.size() < 12) {
        Stroke own;
        const int source = bytes.below(4);
        if (source == 0) own.source = WipeBack{};
        if (source == 1) own.source = FrameId{1 + bytes.below(3)};
        if (source == 2) own.source = ResultId{1};
        if (source == 3) own.source = FromPlace{bytes.byte() - 128, bytes.byte() - 128};
        own.radius_px = 0.5 + bytes.within(40);
        own.softness = bytes.within(1);
        own.flow = bytes.within(1);
        own.match_tone = bytes.below(2) == 1;
        const auto point = [&] {
            return StrokePoint{bytes.within(60) - 10, bytes.within(50) - 10, bytes.within(1)};
        };
        for (int i = bytes.below(5); i >= 0; --i) own.points.push_back(point());
        const int shape = bytes.below(3);
        if (shape == 1 && own.points.size() == 2) {
            FadeAcross fade;
            if (source == 1)
                for (int i = bytes.below(3); i > 0; --i) fade.through.push_back({i});
            own.shape = fade;
        }
        if (shape == 2) own.shape = WithinOutline{{{point(), point(), point()}}};
        strokes.push_back(own);
    }
    const MergePlanes planes{area, {}, {}, {}, {{1}, {2}, {3}}};
    const SharedList<Stroke> all(strokes);
    const ToneCurve curve{ColourProfile{}};
    const SourcePixels source = [](const StrokeSource&, PixelRect where) {
        return SourcePart{cv::Mat3f(where.size(), cv::Vec3f(0.4f, 0.3f, 0.2f)), {}};
    };
    const cv::Mat whole = StrokeRendering(merge, planes, all, curve, source).pixels(all.size(), area, {});
    const cv::Mat strips =
        StrokeRendering(merge, planes, all, curve, source, 3 * area.width).pixels(all.size(), area, {});
    if (cv::norm(whole, strips, cv::NORM_INF) != 0) wrong("strips differ from the whole");
}

void warp_by_chance(const std::uint8_t* data, std::size_t size) {
    Bytes bytes(data, size);
    cv::Matx33d matrix = cv::Matx33d::eye();
    const bool is_wild = bytes.below(2) == 1;
    for (double& own : matrix.val) own = is_wild ? bytes.any() : own + bytes.within(0.02) - 0.01;
    const Picture picture{cv::Mat(20, 30, CV_16UC3, cv::Scalar::all(30000)), {}, {}};
    const WarpPlan plan{.frame_to_reference = matrix,
                        .target = {bytes.byte() - 128, bytes.byte() - 128, 33, 21}};
    const LinearFrame made = warp_to_linear(picture, ToneCurve{ColourProfile{}}, plan, {});
    for (const RowSpan& span : made.covered)
        if (span.begin < 0 || span.end > 33 || span.begin > span.end) wrong("a span outside of its row");
    Finish finish;
    finish.framing.crop = PixelRect(3, 4, 10, 9);
    finish.framing.turn_deg = bytes.within(80) - 40;
    check(carried_over(finish, matrix));
}

using Target = std::function<void(const std::uint8_t*, std::size_t)>;

const std::map<std::string, Target>& targets() {
    const auto text = [](const std::function<void(const std::string&)>& own) {
        return [own](const std::uint8_t* data, std::size_t size) {
            own(std::string(reinterpret_cast<const char*>(data), size));
        };
    };
    const auto decoder = [](const std::string& ending) {
        return [ending](const std::uint8_t* data, std::size_t size) { decode(data, size, ending); };
    };
    static const std::map<std::string, Target> all = {
        {"project", text([](const std::string& json) {
             const Project own = project_from_json(json, {});
             check_sound(own);
             if (project_from_json(to_json(own, {}), {}) != own) wrong("a project comes back otherwise");
         })},
        {"recipe", text([](const std::string& json) {
             const Recipe own = recipe_from_json(json);
             if (json_of(recipe_from_json(json_of(own))) != json_of(own))
                 wrong("a recipe comes back otherwise");
         })},
        {"finish", text([](const std::string& json) {
             const Finish own = finish_of(json);
             check(own);
             if (finish_of(json_of(own)) != own) wrong("a finish comes back otherwise");
         })},
        {"hand-over", text([](const std::string& json) {
             const HandOver own = hand_over_of(json);
             if (hand_over_of(json_of(own)) != own) wrong("a hand-over comes back otherwise");
         })},
        {"articles",
         [](const std::uint8_t* data, std::size_t size) { read_articles(as_file(data, size, ".csv")); }},
        {"name", text([](const std::string& pattern) {
             const std::string own =
                 name_of_output(pattern, {.series = pattern, .article = "H/17"}, FileFormat::tiff);
             if (own.empty() || own.find('/') != std::string::npos || own[0] == '.' ||
                 own.find('\0') != std::string::npos || own.size() > 255)
                 wrong("a name that is none");
         })},
        {"shooting-data",
         [](const std::uint8_t* data, std::size_t size) {
             shooting_data_of({data, data + size});
         }},
        {"plane",
         [](const std::uint8_t* data, std::size_t size) { read_plane(as_file(data, size, ".tif")); }},
        {"jpeg", decoder(".jpg")},
        {"tiff", decoder(".tif")},
        {"png", decoder(".png")},
        {"jxl", decoder(".jxl")},
        {"heif", decoder(".heic")},
        {"raw", decoder(".dng")},
        {"strokes", render_strokes_by_chance},
        {"warp", warp_by_chance}};
    return all;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const Target& target = [&]() -> const Target& {
        const char* name = std::getenv("MOORHAZE_FUZZ");
        const auto found = targets().find(name ? name : "");
        if (found == targets().end()) {
            std::fprintf(stderr, "MOORHAZE_FUZZ names a target:");
            for (const auto& [own, unused] : targets()) std::fprintf(stderr, " %s", own.c_str());
            std::fprintf(stderr, "\n");
            std::exit(2);
        }
        decode_budget().set_bytes(std::size_t(64) << 20);
        return found->second;
    }();
    try {
        target(data, size);
    } catch (const Error&) {
        // Refused, in words.
    }
    return 0;
}
