// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/document/mended_result.h"

#include <QCoreApplication>
#include <algorithm>

#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

QString words(const char* text) {
    return QCoreApplication::translate("MendedResult", text);
}

}  // namespace

bool operator==(const MendedResult& one, const MendedResult& other) {
    return one.view == other.view && one.product.result == other.product.result &&
           one.product.plane == other.product.plane &&
           std::equal(one.others.begin(), one.others.end(), other.others.begin(), other.others.end(),
                      [](const auto& own, const auto& its) {
                          return own.first == its.first && own.second.merge == its.second.merge;
                      });
}

Picture MendedResult::picture(PixelRect part, const Job& job) const {
    const MergeResult& merge = *product.result;
    if (view.strokes.empty() && part == merge.area) return merge.picture;
    // Held as long as it is painted from: another series may be opened meanwhile, which lets go of it.
    const std::shared_ptr<const FrameSource> frames = sources->of(product.plane);
    return mended(merge, view.strokes, {*frames, others}, part, job);
}

tl::expected<MendedResult, Why> mended_result(const SessionBase& base, const ProjectResult& result,
                                              const SharedList<Stroke>& strokes) {
    const MergeProduct* product = base.products.merge(result.id);
    if (!product) return tl::unexpected(Why{words("%1 is still being read.").arg(text(result.title))});
    return MendedResult{{base.document.id(), result.id, strokes},
                        *product,
                        result.made_from,
                        base.products.result_sources(strokes, product->plane),
                        base.products.sources()};
}

tl::expected<MendedResult, Why> mended_result_shown(const SessionBase& base) {
    const ProjectResult* result = base.standpoint.result();
    if (!result) return tl::unexpected(Why{words("Nothing is merged yet (Ctrl+Return).")});
    return mended_result(base, *result, result->strokes);
}

QString why_no_picture(const SessionBase& base) {
    const auto shown = mended_result_shown(base);
    return shown ? QString() : shown.error().text;
}

}  // namespace moorhaze::desktop
