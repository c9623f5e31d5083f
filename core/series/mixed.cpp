// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/mixed.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

#include "core/work/words.h"

namespace moorhaze {
namespace {

std::string kind_of(FileFormat format) {
    switch (format) {
        case FileFormat::jpeg:
            return "JPEG";
        case FileFormat::tiff:
            return "TIFF";
        case FileFormat::png:
            return "PNG";
        case FileFormat::raw:
            return "raw";
        case FileFormat::heif:
            return "HEIF";
        case FileFormat::jxl:
            return "JPEG XL";
        case FileFormat::open_raster:
            return "OpenRaster";
    }
    return {};
}

/// One thing that all frames should share: its name, and what each frame says of it (empty: nothing).
struct Shared {
    const char* name;
    std::function<std::string(const Frame&)> value;
};

const std::vector<Shared>& shared_things() {
    static const std::vector<Shared> things = {
        {"Cameras differ", [](const Frame& f) { return f.info.shooting.camera; }},
        {"Kinds of file differ", [](const Frame& f) { return kind_of(f.info.format); }},
        {"Bit depths differ", [](const Frame& f) { return std::to_string(f.info.bits) + " bit"; }},
        {"Exposure times differ",
         [](const Frame& f) {
             const auto time = f.info.shooting.exposure_s;
             if (!time || *time <= 0) return std::string();
             return *time < 0.4 ? "1/" + words("%.0f s", 1 / *time) : words("%.2g s", *time);
         }},
        {"F-numbers differ",
         [](const Frame& f) {
             const auto number = f.info.shooting.f_number;
             return number ? "f/" + words("%.2g", *number) : std::string();
         }},
        {"ISO speeds differ",
         [](const Frame& f) {
             const auto iso = f.info.shooting.iso;
             return iso ? "ISO " + words("%.0f", *iso) : std::string();
         }},
        {"Focal lengths differ",
         [](const Frame& f) {
             const auto length = f.info.shooting.focal_length_mm;
             return length ? words("%.0f mm", *length) : std::string();
         }},
        {"White balances noted in raw files differ",
         [](const Frame& f) {
             if (f.info.noted_red <= 0) return std::string();
             return "red " + words("%.2f", f.info.noted_red) + ", blue " + words("%.2f", f.info.noted_blue);
         }},
    };
    return things;
}

/// "Exposure times differ: 1/60 s in frames 5 and 9, 1/125 s in the other 18."; empty when all are alike.
std::string sentence(const char* name, const std::vector<std::string>& values) {
    std::map<std::string, std::vector<int>> groups;
    for (std::size_t i = 0; i < values.size(); ++i)
        if (!values[i].empty()) groups[values[i]].push_back(int(i));
    if (groups.size() < 2) return {};
    const auto most = std::max_element(groups.begin(), groups.end(), [](const auto& a, const auto& b) {
        return a.second.size() < b.second.size();
    });
    std::vector<std::pair<std::string, std::vector<int>>> others;
    for (const auto& group : groups)
        if (group.first != most->first) others.push_back(group);
    std::stable_sort(others.begin(), others.end(),
                     [](const auto& a, const auto& b) { return a.second.front() < b.second.front(); });
    constexpr std::size_t kMostNamed = 3;
    std::string text = std::string(name) + ": ";
    for (std::size_t i = 0; i < std::min(kMostNamed, others.size()); ++i)
        text += others[i].first + " in " + frame_list(others[i].second) + ", ";
    if (others.size() > kMostNamed)
        text += "and " + std::to_string(others.size() - kMostNamed) + " other values, ";
    return text + most->first + " in the other " + std::to_string(most->second.size()) + ".";
}

}  // namespace

std::string frame_list(const std::vector<int>& frames) {
    std::string text = frames.size() == 1 ? "frame " : "frames ";
    for (std::size_t i = 0; i < frames.size();) {
        std::size_t end = i;
        while (end + 1 < frames.size() && frames[end + 1] == frames[end] + 1) ++end;
        if (i > 0) text += end + 1 == frames.size() ? " and " : ", ";
        text += std::to_string(frames[i] + 1);
        if (end == i + 1) text += " and " + std::to_string(frames[end] + 1);
        if (end > i + 1) text += " to " + std::to_string(frames[end] + 1);
        i = end + 1;
    }
    return text;
}

std::vector<std::string> mixed_settings(const Series& series, const std::vector<std::string>& colours) {
    std::vector<std::string> sentences;
    auto add = [&](const char* name, const std::vector<std::string>& values) {
        if (auto text = sentence(name, values); !text.empty()) sentences.push_back(std::move(text));
    };
    for (const Shared& thing : shared_things()) {
        std::vector<std::string> values;
        for (const Frame& frame : series.frames) values.push_back(thing.value(frame));
        add(thing.name, values);
    }
    add("Colour profiles differ", colours);
    return sentences;
}

}  // namespace moorhaze
