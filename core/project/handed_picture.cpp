// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/handed_picture.h"

#include <algorithm>

#include "core/finish/framing.h"
#include "core/mend/layers.h"

namespace moorhaze {
namespace {

/// The picture with nothing but its framing.
Picture framed(const FinishSubject& subject, const Framing& framing, PixelRect part, const Job& job) {
    Finish finish;
    finish.framing = framing;
    return finished(subject, finish, 0, part, job);
}

/// "frame 12", "Woven" of what it was drawn in from.
std::string name_of(const MendLayer& layer, const std::vector<FrameId>& frames) {
    if (std::holds_alternative<WipeBack>(layer.source)) return "wiped back";
    if (std::holds_alternative<FromPlace>(layer.source)) return "healed or copied";
    if (const auto* result = std::get_if<ResultId>(&layer.source))
        return "from result " + std::to_string(result->value);
    const auto place = std::find(frames.begin(), frames.end(), std::get<FrameId>(layer.source));
    return "from frame " + std::to_string(place - frames.begin() + 1);
}

}  // namespace

HandedPicture handed_picture(std::shared_ptr<const FinishSubject> subject, const Finish& finish,
                             const Job& job) {
    HandedPicture picture(finished(*subject, finish, job));
    const PixelRect kept = kept_of(finish.framing, subject->area) - subject->area.tl();
    picture.framed = [subject, framing = finish.framing, kept](const Job& own) {
        return framed(*subject, framing, kept, own);
    };
    return picture;
}

std::vector<WrittenFile> write_outputs(const HandedPicture& picture, const std::vector<OutputFile>& files,
                                       const SaidOfPicture& said, bool overwrite, const Job& job) {
    std::vector<WrittenFile> written;
    for (const OutputFile& file : files) {
        const double share = 1.0 / double(files.size()), from = share * double(written.size());
        WrittenFile own{file.path, 0, {}};
        try {
            write_output(file.path, picture, file.output, said.about, said.shooting, said.made_with,
                         overwrite, job.part(from, from + share));
            own.bytes = std::filesystem::file_size(file.path);
        } catch (const Cancelled&) {
            throw;
        } catch (const std::exception& error) {
            own.problem = error.what();
        }
        written.push_back(std::move(own));
    }
    return written;
}

std::vector<RasterLayer> layers_of(const MergeResult& merge, const SharedList<Stroke>& strokes,
                                   const MendSources& sources, const Framing& framing, const Job& job) {
    const PixelRect kept = kept_of(framing, merge.area);
    std::vector<RasterLayer> layers;
    const auto add = [&](const std::string& name, const Picture& picture, PixelRect area) {
        const auto subject = finish_subject(picture, area.tl(), 1, {});
        const PixelRect seen = turned_area(framing, area) & kept;
        if (seen.empty()) return;
        layers.push_back(
            {name, framed(*subject, framing, seen - area.tl(), {}), seen.tl() - kept.tl(), true});
    };
    add("merge", merge.picture, merge.area);
    const MergePlanes planes = planes_of(merge, sources.frames.series());
    for (const MendLayer& layer : mend_layers(merge, strokes, sources, job))
        add(name_of(layer, planes.frames), layer.picture, layer.area);
    return layers;
}

std::optional<RawRendering> raw_rendering_of(const Frame& frame, const Development& development) {
    if (frame.info.format != FileFormat::raw) return std::nullopt;
    try {
        return raw_rendering(frame.path, development);
    } catch (const Error&) {
        return std::nullopt;
    }
}

}  // namespace moorhaze
