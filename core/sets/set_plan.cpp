// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/set_plan.h"
#include "core/finish/articles.h"

#include <algorithm>
#include <map>

#include "core/sets/set_paths.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

bool is_pattern(const std::string& text) {
    return text.find('{') != std::string::npos;
}

/// A pattern with its parts replaced, without an ending: for folders.
std::string expanded(const std::string& pattern, const NameParts& parts) {
    return fs::path(name_of_output(pattern + ".tif", parts, FileFormat::tiff)).stem().string();
}

fs::path folder_of(const OutPattern& out, const NameParts& parts) {
    fs::path folder = out.folder;
    for (const fs::path& pattern : fs::path(out.folders)) folder /= expanded(pattern.string(), parts);
    return folder;
}

std::vector<SetFile> named_files(const Recipe& recipe, const OutPattern& out, const SetSeries& series,
                                 const std::string& name, const HandOver& hand_over,
                                 const ShootingData& shooting, cv::Size picture) {
    const std::vector<MergeChoice> merges = merges_of(recipe, {});
    NameParts parts;
    parts.series = name;
    parts.number = series.number;
    parts.article = article_of(hand_over, name);
    parts.date = shooting.taken.value_or("").substr(0, 10);
    parts.frames = int(series.frames.size());
    std::vector<SetFile> files;
    for (std::size_t merge = 0; merge < merges.size(); ++merge) {
        parts.method = merges[merge].method;
        parts.result = merge_method(merges[merge].method).title;
        for (const Output& output : hand_over.outputs) {
            if (output.is_off) continue;
            const cv::Size size = size_of_output(output.size, picture);
            parts.width = size.width, parts.height = size.height;
            const std::string& pattern = out.name.empty() ? output.name : out.name;
            files.push_back(
                {int(merge), output, folder_of(out, parts) / name_of_output(pattern, parts, output.format)});
        }
    }
    return files;
}

/// Views are numbered, whatever their pattern says.
std::string numbered(const std::string& pattern) {
    if (pattern.empty() || pattern.find("{number}") != std::string::npos) return pattern;
    const fs::path name(pattern);
    return name.stem().string() + "-{number}" + name.extension().string();
}

/// How pictures leave: as the recipe says, or else as series and views do by default.
HandOver hand_over_of(const Recipe& recipe) {
    HandOver hand_over;
    if (recipe.turntable) {
        Output& page = hand_over.outputs[0];
        page.format = FileFormat::jpeg;
        page.bits = 8;
        page.profile = ProfileWish::srgb;
        page.size.wish = SizeWish::long_side;
        page.name = "{series}-{number}";
    }
    hand_over = recipe.hand_over.value_or(hand_over);
    if (recipe.turntable)
        for (Output& output : hand_over.outputs) output.name = numbered(output.name);
    return hand_over;
}

/// The pictures that leave in the end, of a series or of a turntable's view.
std::vector<SetFile> leaving_files(const SetPlan& plan, const SetSeries& series, const HandOver& hand_over,
                                   const ShootingData& shooting, cv::Size picture) {
    if (!plan.recipe.turntable)
        return named_files(plan.recipe, plan.out, series, series.name, hand_over, shooting, picture);
    OutPattern out = plan.out;
    out.name = numbered(out.name);
    std::vector<SetFile> files =
        named_files(plan.recipe, out, series, turntable_name(plan), hand_over, shooting, picture);
    std::erase_if(files, [](const SetFile& own) { return own.merge > 0; });
    return files;
}

SetPlan plan_of(Recipe recipe, const OutPattern& out, OpenedCard card) {
    SetPlan plan{std::move(recipe), out, {}, std::move(card.problems), std::move(card.notes)};
    for (FoundSeries& found : card.series)
        plan.series.push_back({std::move(found.name), int(plan.series.size()) + 1, std::move(found.reason),
                               std::move(found.frames)});
    return plan;
}

}  // namespace

OutPattern parse_out(const std::string& text) {
    if (text.empty()) throw BadParameter("the place for the pictures needs a name");
    if (std::any_of(text.begin(), text.end(),
                    [](unsigned char letter) { return letter < 32 || letter == 127; }))
        throw BadParameter(
            "the place for the pictures holds a line's end or another control character; rename it");
    OutPattern out{{}, {}, {}};
    const fs::path whole(text);
    bool in_patterns = false;
    for (auto part = whole.begin(); part != whole.end(); ++part) {
        const std::string own = part->string();
        const bool is_last = std::next(part) == whole.end();
        in_patterns = in_patterns || is_pattern(own);
        if (!in_patterns) {
            out.folder /= *part;
        } else if (is_last) {
            out.name = own;  // empty behind a '/'
        } else {
            out.folders += (out.folders.empty() ? "" : "/") + own;
        }
        if (is_pattern(own)) expanded(own, {"series", "result", "method", "article", "date"});
    }
    if (out.folder.empty()) out.folder = ".";
    return out;
}

void refuse_pictures_among_frames(const OutPattern& out, const std::vector<fs::path>& folders) {
    std::error_code unknown;
    for (const fs::path& folder : folders)
        if (fs::equivalent(out.folder, folder, unknown) && !unknown)
            throw BadParameter(
                folder.string() +
                ": the pictures would lie among the frames, and count as frames the next time. Choose "
                "another place for them, a folder in it for instance.");
}

SetPlan plan_set(Recipe recipe, const std::vector<fs::path>& files_or_folders, const OutPattern& out,
                 const Job& job) {
    refuse_pictures_among_frames(out, files_or_folders);
    SetPlan plan = plan_of(std::move(recipe), out, open_card(files_or_folders, job));
    check_names(plan);
    return plan;
}

SetPlan plan_one_series(Recipe recipe, const std::vector<fs::path>& files, std::string name, int number,
                        const OutPattern& out, const Job& job) {
    // Read as a card is, so that the frames stand as they do where the whole of it is planned.
    OpenedCard card = open_card(files, job);
    while (card.series.size() > 1) join_with_next(card.series, 0);
    card.series[0].name = std::move(name);
    SetPlan plan = plan_of(std::move(recipe), out, std::move(card));
    plan.series[0].number = number;
    check_names(plan);
    return plan;
}

std::vector<SetFile> files_of(const SetPlan& plan, const SetSeries& series, const ShootingData& shooting,
                              cv::Size picture) {
    if (plan.recipe.turntable) {
        Output merged;
        merged.compression = TiffCompression::none;
        return {{0, merged, SetPaths(set_folder(plan.out)).view(series.name)}};
    }
    return leaving_files(plan, series, hand_over_of(plan.recipe), shooting, picture);
}

std::vector<SetFile> files_of_view(const SetPlan& plan, const SetSeries& view, const ShootingData& shooting,
                                   cv::Size picture) {
    return leaving_files(plan, view, hand_over_of(plan.recipe), shooting, picture);
}

std::string turntable_name(const SetPlan& plan) {
    const fs::path folder = fs::absolute(plan.series.front().frames.front().path).parent_path();
    const fs::path view = folder.filename() == "frames" ? folder.parent_path() : folder;
    return view.parent_path().filename().string();
}

void check_names(const SetPlan& plan) {
    HandOver hand_over = hand_over_of(plan.recipe);
    // The table of articles is read once for all series.
    const bool has_list = hand_over.article.empty() && !hand_over.article_list.empty();
    const auto articles =
        has_list ? read_articles(hand_over.article_list) : std::map<std::string, std::string>();
    hand_over.article_list.clear();
    std::map<std::string, std::string> taken;  // name without regard to case, and whose it is
    for (const SetSeries& series : plan.series) {
        const PictureInfo& info = series.frames.front().info;
        const cv::Size size(info.width, info.height);
        if (has_list) {
            const auto article = articles.find(plan.recipe.turntable ? turntable_name(plan) : series.name);
            hand_over.article = article == articles.end() ? std::string() : article->second;
        }
        for (const SetFile& file : leaving_files(plan, series, hand_over, info.shooting, size)) {
            std::string name = file.path.string();
            for (char& letter : name) letter = char(std::tolower(static_cast<unsigned char>(letter)));
            const auto [other, is_new] = taken.emplace(name, series.name);
            if (is_new) continue;
            const bool same_series = other->second == series.name;
            throw BadParameter(file.path.string() + " would be written " +
                               (same_series ? "twice for " + series.name
                                            : "for both " + other->second + " and " + series.name) +
                               ". Put " + (same_series ? "{method} or {size}" : "{series} or {number}") +
                               " into the name.");
        }
    }
    if (taken.empty()) throw BadParameter("the recipe writes no file: switch one of its outputs on");
}

std::vector<fs::path> frames_of(const SetPlan& plan) {
    std::vector<fs::path> frames;
    for (const SetSeries& series : plan.series)
        for (const Frame& frame : series.frames) frames.push_back(frame.path);
    return frames;
}

fs::path set_folder(const OutPattern& out) {
    return out.folder / kSetFolder;
}

}  // namespace moorhaze
