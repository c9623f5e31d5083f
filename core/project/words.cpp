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
    return words;
}

std::string joined(const std::vector<std::string>& words, const char* between) {
    std::string text;
    for (const std::string& word : words) text += (text.empty() ? "" : between) + word;
    return text;
}

}  // namespace

std::string settings_in_words(const MadeFrom& from) {
    return joined(words_of(from), " · ");
}

std::string made_with(const ProjectResult& result) {
    const int strokes = result.strokes.size();
    return "Moorhaze " + result.made_from.choice.method + " merge, " +
           joined(words_of(result.made_from), ", ") +
           (strokes == 0   ? std::string()
            : strokes == 1 ? ", 1 stroke"
                           : ", " + std::to_string(strokes) + " strokes");
}

}  // namespace moorhaze
