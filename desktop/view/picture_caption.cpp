// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/picture_caption.h"

#include <QCoreApplication>
#include <cmath>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"
#include "desktop/view/picture_view.h"

namespace moorhaze::desktop {
namespace {

QString caption_words(const char* text) {
    return QCoreApplication::translate("Caption", text);
}

}  // namespace

/// The number that a frame of the merge has today: frames may have been put in another order since.
int number_now(const Session& session, const MergeProduct& product, int number) {
    const int place = session.document.place(product.plane->series.frames[std::size_t(number) - 1].id);
    return place < 0 ? number : place + 1;
}

QString caption_of(Session& session, const Shown& shown, const PictureView& view,
                   std::optional<QPointF> hovered, const std::optional<FinishedPlace>& finished) {
    const ShootDesk& desk = session.shoot_desk;
    if (is<LivePicture>(shown.main))
        return caption_words("live view · plane of focus at %1 mm · f/%2")
            .arg(desk.position_mm(), 0, 'f', 2)
            .arg(desk.setup().f_number);
    if (is<std::monostate>(shown.main)) return {};
    const QString zoom = view.is_fit() ? caption_words("fit %1 %").arg(100 * view.zoom(), 0, 'f', 0)
                                       : caption_words("%1 %").arg(100 * view.zoom(), 0, 'f', 0);
    if (is<ViewsPicture>(shown.main)) {
        const ViewsLook& look = session.views_look;
        const QString what =
            look.shown() == ViewsShown::darkest    ? caption_words("the darkest of %1 views at each place")
            : look.shown() == ViewsShown::lightest ? caption_words("the lightest of %1 views at each place")
            : look.shown() == ViewsShown::mean     ? caption_words("the mean of %1 views")
                                                   : caption_words("view %2 of %1");
        const QString words = look.shown() == ViewsShown::one ? what.arg(look.views()).arg(look.view() + 1)
                                                              : what.arg(look.views());
        return QStringLiteral("%1 · %2").arg(words, zoom);
    }
    QString words;
    const Series& series = session.document.series();
    if (const auto* finishing = std::get_if<FinishedPicture>(&shown.main)) {
        const ProjectResult* result = find_result(session.document.project(), finishing->result);
        if (!result) return {};
        words =
            caption_words(is_neutral(session.finishing.finish()) ? "%1, as it was mended" : "%1, finished")
                .arg(text(result->title));
        if (!session.finish_look.is_settled()) words += caption_words(" · preview");
        if (finished)
            words += caption_words(" · tone %1 % · Lab %2, %3, %4")
                         .arg(100 * finished->tone, 0, 'f', 0)
                         .arg(finished->lab[0], 0, 'f', 0)
                         .arg(finished->lab[1], 0, 'f', 0)
                         .arg(finished->lab[2], 0, 'f', 0);
    } else if (const auto* own = std::get_if<ResultPicture>(&shown.main)) {
        // While a change travels through the session the result may be gone already.
        const ProjectResult* result = find_result(session.document.project(), own->result);
        const MergeProduct* product = session.products.merge(own->result);
        if (!result || !product) return {};
        const MergeResult& merge = *product->result;
        words = text(result->title);
        if (session.result_look.shown() && session.standpoint.look() == LookAt::made_by)
            words = caption_words(
                "grey: depth map · violet: pyramid · blue stripes: backdrop · amber squares: moved, one "
                "state · green dots: highlight");
        if (hovered) {
            const cv::Point place(int(std::lround(hovered->x())), int(std::lround(hovered->y()))),
                at = place - merge.area.tl();
            const QString where = caption_words("%1, %2").arg(place.x).arg(place.y);
            if (cv::Rect({}, merge.area.size()).contains(at))
                words = merge.source(at) > 0 ? caption_words("%1 from frame %2, %3")
                                                   .arg(where)
                                                   .arg(number_now(session, *product, merge.source(at)))
                                                   .arg(QLatin1String(words_for(MadeBy(merge.made_by(at)))))
                                             : caption_words("%1 covered by no frame").arg(where);
        }
    } else {
        if (!session.document.has_series()) return {};
        words = is<QuickPicture>(shown.main)
                    ? caption_words("quick merge of %1 frames, roughly aligned, screen size")
                          .arg(series.chosen().size())
                    : frame_caption(series, session.standpoint.place());
        const auto* frame = std::get_if<FrameView>(&shown.main);
        if (frame && session.store.is_broken(*frame))
            words += caption_words(" · cannot be read");
        else if (frame && !session.store.find(*frame))
            words += caption_words(" · loading");
        const ProjectResult* result = session.standpoint.result();
        if (session.standpoint.stage() >= Stage::merge && result &&
            session.result_reader.is_to_come(result->id))
            words += caption_words(" · %1 is being read from the project").arg(text(result->title));
    }
    if (session.standpoint.stage() == Stage::merge && session.standpoint.look_ahead()) {
        const MergePreview& preview = session.merge_preview;
        if (const QString state = preview.state(); !state.isEmpty())
            words += QStringLiteral(" · ") + state;
        else if (session.standpoint.result() && !session.merging.is_current() && !preview.picture())
            words += caption_words(" · settings changed: at 100 % (Ctrl+1) they are tried here");
    }
    return QStringLiteral("%1 · %2").arg(words, zoom);
}

}  // namespace moorhaze::desktop
