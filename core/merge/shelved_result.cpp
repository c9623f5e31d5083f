// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/shelved_result.h"

namespace moorhaze {

ShelvedResult shelve(MergeResult result, const std::filesystem::path& folder) {
    cv::Mat* const planes[] = {&result.picture.pixels, &result.picture.alpha, &result.source,
                               &result.made_by,        &result.depth,         &result.trust};
    std::shared_ptr<const ScratchFile> file;
    try {
        std::vector<cv::Mat> own;
        for (const cv::Mat* plane : planes) own.push_back(*plane);
        file = std::make_shared<const ScratchFile>(own, folder);
    } catch (const FileError&) {
        return {std::make_shared<const MergeResult>(std::move(result)), nullptr};
    }
    for (std::size_t i = 0; i < std::size(planes); ++i) *planes[i] = file->planes()[i];
    return {std::make_shared<const MergeResult>(std::move(result)), file};
}

}  // namespace moorhaze
