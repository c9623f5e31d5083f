// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/handed_picture.h"

#include <algorithm>

#include "core/finish/framing.h"
#include "core/mend/layers.h"

namespace moorhaze {
namespace {

/// The picture with nothing but its lens's correction, which the subject has already, and its framing.
Picture framed(const FinishSubject& subject, const Framing& framing, const Lens& lens, PixelRect part,
               const Job& job) {
    Finish finish;
    finish.framing = framing;
    finish.lens = lens;
    return finished(subject, finish, 0, part, job);
}

/// A picture in a larger one, transparent around it.
Picture on_larger(const Picture& picture, PixelRect area, PixelRect larger) {
    const cv::Rect own = area - larger.tl();
    Picture made{cv::Mat(larger.size(), picture.pixels.type(), cv::Scalar::all(0)),
                 cv::Mat(larger.size(), CV_MAKETYPE(picture.pixels.depth(), 1), cv::Scalar(0)),
                 picture.profile};
    picture.pixels.copyTo(made.pixels(own));
    if (picture.alpha.empty())
        made.alpha(own) = picture.bits() == 16 ? 65535 : 255;
    else
        picture.alpha.copyTo(made.alpha(own));
    return made;
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
    picture.framed = [subject, framing = finish.framing, lens = finish.lens, kept](const Job& own) {
        return framed(*subject, framing, lens, kept, own);
    };
    return picture;
}

SaidInFile said_of(const HandOver& own, const ShootingData& shooting, const std::string& made_with) {
    return {
        .shooting = shooting, .made_with = made_with, .about = own.about, .with_private = own.with_private};
}

std::vector<WrittenFile> write_outputs(const HandedPicture& picture, const std::vector<OutputFile>& files,
                                       const SaidInFile& said, bool overwrite, const Job& job) {
    std::vector<WrittenFile> written;
    for (const OutputFile& file : files) {
        const double share = 1.0 / double(files.size()), from = share * double(written.size());
        WrittenFile own{file.path, 0, {}, {}};
        try {
            own.remark =
                write_output(file.path, picture, file.output, said, overwrite, job.part(from, from + share));
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

void layers_of(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
               const Finish& finish, const TakeLayer& take, const Job& job) {
    const Framing& framing = finish.framing;
    const PixelRect kept = kept_of(framing, merge.area);
    const bool bends = !is_neutral(finish.lens) && finish.lens.straightens;
    const auto add = [&](const std::string& name, Picture picture, PixelRect area) {
        // Straightened, a layer reaches beyond where it was.
        if (bends && area != merge.area) {
            picture = on_larger(picture, area, merge.area);
            area = merge.area;
        }
        const PixelRect seen = turned_area(framing, area) & kept;
        if (seen.empty()) return;
        const auto subject = with_lens(finish_subject(picture, area.tl(), 1, {}), finish.lens,
                                       sources.frames.series().size(), {});
        take({name, framed(*subject, framing, finish.lens, seen - area.tl(), {}), seen.tl() - kept.tl(),
              true});
    };
    add("merge", merge.picture, merge.area);
    const MergePlanes planes = planes_of(merge, sources.frames.series());
    mend_layers(
        merge, strokes, sources,
        [&](const MendLayer& layer) { add(name_of(layer, planes.frames), layer.picture, layer.area); }, job);
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
