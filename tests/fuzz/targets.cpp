// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/fuzz/targets.h"

#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "core/finish/articles.h"
#include "core/finish/carried_finish.h"
#include "core/finish/finish_json.h"
#include "core/finish/hand_over.h"
#include "core/mend/stroke_rendering.h"
#include "core/picture/warp.h"
#include "core/project/edits.h"
#include "core/project/history.h"
#include "core/project/project_json.h"
#include "core/project/sound.h"
#include "core/sets/cluster_job.h"
#include "core/sets/follow_recipe.h"
#include "core/sets/series_record.h"
#include "core/sets/set_paths.h"

namespace moorhaze::test {
namespace {

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

/// A folder for the life of the program, in memory.
const fs::path& in_memory() {
    struct Folder {
        fs::path path = fs::path("/dev/shm") / ("moorhaze-fuzz-" + std::to_string(getpid()));
        Folder() { fs::create_directories(path); }
        Folder(const Folder&) = delete;
        Folder& operator=(const Folder&) = delete;
        ~Folder() {
            std::error_code none;
            fs::remove_all(path, none);
        }
    };
    static const Folder folder;
    return folder.path;
}

/// Bytes as a file with an ending.
fs::path as_file(const std::uint8_t* data, std::size_t size, const std::string& ending) {
    const fs::path file = in_memory() / ("f" + ending);
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

/// A shell gives back the very bytes that were quoted for it.
void give_to_a_shell(const std::string& bytes) {
    const std::string word = bytes.substr(0, bytes.find('\0'));
    const fs::path script = in_memory() / "command";
    std::ofstream(script, std::ios::binary) << "printf %s " << quoted_for_shell(word);
    FILE* const shell = popen(("bash " + script.string()).c_str(), "r");
    if (!shell) return;
    std::string back;
    char buffer[4096];
    while (const std::size_t count = fread(buffer, 1, sizeof buffer, shell)) back.append(buffer, count);
    if (pclose(shell) != 0 || back != word) wrong("a shell reads a quoted word otherwise");
}

/// A project of a few frames, changed by whatever a person or a camera may do in any order.
void edit_by_chance(const std::uint8_t* data, std::size_t size) {
    Bytes bytes(data, size);
    Project start;
    start.name = "knob";
    for (int i = 1; i <= 5; ++i)
        start = with_frame_added(start, {{i}, "/heath/knob/" + std::to_string(i) + ".jpg", "", 0, true});
    History history(start);
    const auto edit = [&](const Project& after) {
        history.edit("step", after, bytes.below(2) ? "join" : "");
    };
    const auto frame = [&] { return FrameId{bytes.below(8)}; };
    const auto result = [&] { return ResultId{bytes.below(4)}; };
    int next_frame = 6, next_result = 1, steps = 0;
    for (; !bytes.empty() && steps < 60; ++steps) {
        const Project& now = history.now();
        switch (bytes.below(18)) {
            case 0:
                edit(with_used(now, frame(), bytes.below(2)));
                break;
            case 1:
                edit(without_frames(now, {frame(), frame()}));
                break;
            case 2:
                edit(with_range(now, {bytes.byte() % 9 - 2, bytes.byte() % 9 - 2}));
                break;
            case 3:
                edit(with_reference(now, bytes.below(3) ? std::optional(frame()) : std::nullopt));
                break;
            case 4: {
                std::vector<FrameId> order;
                for (int i = now.frames.size() - 1; i >= 0; --i) order.push_back(now.frames[i].id);
                if (bytes.below(4) == 0) order.push_back(frame());
                edit(with_order(now, order));
                break;
            }
            case 5: {
                Stroke stroke;
                if (bytes.below(2)) stroke.source = frame();
                stroke.points = {{bytes.within(90), bytes.within(90), 1}};
                edit(with_stroke(now, result(), stroke));
                break;
            }
            case 6:
                edit(with_strokes(now, result(), {}));
                break;
            case 7:
                edit(with_title(now, result(), "of the heath"));
                break;
            case 8:
                edit(without_result(now, result()));
                break;
            case 9: {
                Finish finish;
                finish.light.exposure_ev = bytes.within(20) - 10;
                finish.framing.turn_deg = bytes.within(100) - 50;
                edit(with_finish(now, finish, bytes.below(2) ? std::optional(frame()) : std::nullopt));
                break;
            }
            case 10:
                edit(with_kept(now, KeptArea::everything));
                break;
            case 11: {
                SetChoice set = now.set;
                set.out = std::string(std::size_t(bytes.below(4)), 'o');
                edit(with_set(now, set));
                break;
            }
            case 12:
                history.happened([&, id = next_frame++](const Project& own) {
                    return with_frame_added(
                        own, {{id}, "/heath/knob/" + std::to_string(id) + ".jpg", "", 0, true});
                });
                break;
            case 13:
                history.happened(
                    [again = frame()](const Project& own) { return with_frame_shot_again(own, again); });
                break;
            case 14: {
                ProjectResult made;
                made.id = {next_result++};
                made.title = "merge";
                made.ahead = bytes.below(2);
                made.made_from = merge_inputs(now, {bytes.below(6)});
                history.happened([&](const Project& own) { return with_result(own, made); });
                break;
            }
            case 15:
                history.happened(
                    [keys = std::vector{std::pair(frame(), std::string(1, char('a' + bytes.below(3))))}](
                        const Project& own) { return with_content_keys(own, keys); });
                break;
            case 16:
                history.undo();
                break;
            default:
                history.redo();
        }
        const Project& after = history.now();
        check_sound(after);
        if (project_from_json(to_json(after, {}), {}) != after)
            wrong("an edited project comes back otherwise");
    }
    while (history.can_redo()) history.redo();
    const Project last = history.now();
    while (history.can_undo()) history.undo();
    while (history.can_redo()) history.redo();
    if (history.now() != last) wrong("undo and redo of all gives another project");
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

}  // namespace

const std::map<std::string, FuzzTarget>& fuzz_targets() {
    const auto text = [](const std::function<void(const std::string&)>& own) {
        return [own](const std::uint8_t* data, std::size_t size) {
            own(std::string(reinterpret_cast<const char*>(data), size));
        };
    };
    const auto decoder = [](const std::string& ending) {
        return [ending](const std::uint8_t* data, std::size_t size) { decode(data, size, ending); };
    };
    static const std::map<std::string, FuzzTarget> all = {
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
             NameParts parts;
             parts.series = pattern;
             parts.article = "H/17";
             const std::string own = name_of_output(pattern, parts, FileFormat::tiff);
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
        {"record",
         [](const std::uint8_t* data, std::size_t size) {
             const SetPaths paths(in_memory() / "moorhaze-set");
             paths.make();
             std::ofstream(paths.record("knob"), std::ios::binary)
                 .write(reinterpret_cast<const char*>(data), std::streamsize(size));
             const auto own = read_record(paths.folder(), "knob");
             if (!own) return;
             for (const RecordedFile& file : own->files)
                 if (!stays_beneath(file.file)) wrong("a record that leads out of its folder");
             if (const auto project = paths.recorded_project("knob", own->project))
                 if (project->parent_path() != paths.projects()) wrong("a project that lies elsewhere");
             write_record(paths.folder(), *own);
             if (own->name == "knob" && read_record(paths.folder(), "knob") != own)
                 wrong("a record comes back otherwise");
         }},
        {"shell", text(give_to_a_shell)},
        {"edits", edit_by_chance},
        {"strokes", render_strokes_by_chance},
        {"warp", warp_by_chance}};
    return all;
}

}  // namespace moorhaze::test
