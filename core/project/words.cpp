// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/words.h"

#include <algorithm>
#include <sstream>

namespace moorhaze {
namespace {

std::vector<std::string> words_of(const MadeFrom& from) {
    std::vector<std::string> words;
    auto add = [&](const auto&... parts) {
        std::ostringstream text;
        (text << ... << parts);
        words.push_back(text.str());
    };
    const MergeSettings& settings = from.choice.settings;
    const MergeUses uses = merge_method(from.choice.method).uses;
    add(from.frames.size(), from.frames.size() == 1 ? " frame" : " frames");
    if (uses.detail_size) add("detail ", settings.detail_size_px, " px");
    if (uses.seam_width) add("seam ", settings.seam_width_px, " px");
    if (uses.trust_floor) add("floor ", settings.trust_floor);
    if (uses.backdrop && from.choice.backdrop) {
        const auto& frames = from.align.look.frames;
        const auto found = std::find_if(frames.begin(), frames.end(), [&](const FrameVersion& frame) {
            return frame.id == *from.choice.backdrop;
        });
        if (found != frames.end()) add("backdrop frame ", found - frames.begin() + 1);
    }
    if (uses.glare_guard && !settings.glare_guard) add("no glare guard");
    if (uses.grain_guard && !settings.grain_guard) add("no grain guard");
    if (uses.unveil && !settings.unveil) add("not unveiled");
    return words;
}

std::string joined(const std::vector<std::string>& words, const char* between) {
    std::string text;
    for (const std::string& word : words) text += (text.empty() ? "" : between) + word;
    return text;
}

}  // namespace

std::string settings_in_words(const MadeFrom& from) {
    if (!from.brought_in.empty()) return "brought in: " + from.brought_in;
    return joined(words_of(from), " · ");
}

std::string made_with(const ProjectResult& result) {
    const int strokes = result.strokes.size();
    const MadeFrom& from = result.made_from;
    return (from.brought_in.empty()
                ? "Moorhaze " + from.choice.method + " merge, " + joined(words_of(from), ", ")
                : "Moorhaze, " + from.brought_in + " brought in") +
           (strokes == 0   ? std::string()
            : strokes == 1 ? ", 1 stroke"
                           : ", " + std::to_string(strokes) + " strokes");
}

std::string finish_in_words(const Finish& finish) {
    std::string words;
    for (const FinishPart part : kFinishParts)
        if (const std::string own = in_words(finish, part); !own.empty() && !is_off(finish, part))
            words += std::string(words.empty() ? ", " : "; ") + name_of(part) + ": " + own;
    // Comments of Exif are plain letters here.
    for (std::size_t at; (at = words.find("°")) != std::string::npos;) words.replace(at, 2, " degrees");
    return words;
}

std::vector<std::string> keywords_of(const std::string& text) {
    std::vector<std::string> words;
    std::string word;
    const auto end_word = [&] {
        const auto first = word.find_first_not_of(" \t\n");
        if (first != std::string::npos) word = word.substr(first, word.find_last_not_of(" \t\n") + 1 - first);
        if (first != std::string::npos && std::find(words.begin(), words.end(), word) == words.end())
            words.push_back(word);
        word.clear();
    };
    for (const char letter : text)
        if (letter == ',')
            end_word();
        else
            word += letter;
    end_word();
    return words;
}

}  // namespace moorhaze
