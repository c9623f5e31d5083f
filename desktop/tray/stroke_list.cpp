// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/stroke_list.h"

#include <QCheckBox>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include "desktop/session/document/facts.h"
#include "desktop/tray/small_picture.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr QSize kStrokeIcon(42, 28);
constexpr int kSwatch = 5;
constexpr int kIconsLater_ms = 250;

/// The colour of the depth that a stroke brings; grey for other sources.
QColor swatch_of(const Project& project, const Stroke& stroke) {
    const auto* frame = std::get_if<FrameId>(&stroke.source);
    const auto place = frame ? place_of(project, *frame) : std::nullopt;
    const int count = project.frames.size();
    return place && count > 1 ? depth_colour(double(*place) / (count - 1)) : Theme::current().quiet;
}

bool is_everywhere(const Stroke& stroke) {
    return std::holds_alternative<FadeAcross>(stroke.shape) ||
           std::holds_alternative<WhereRule>(stroke.shape);
}

}  // namespace

StrokeList::StrokeList(SessionBase& base, MendedDisplay& display, StrokeEdits& edits, QWidget* parent)
    : QWidget(parent), base_(base), display_(display), edits_(edits) {
    words_ = new QLabel(this);
    words_->setObjectName(QStringLiteral("strokes"));
    words_->setWordWrap(true);
    list_ = make_short_list(QStringLiteral("strokeList"), tr("Strokes"), this, kStrokeIcon);
    later_.setSingleShot(true);
    later_.setInterval(kIconsLater_ms);
    connect(&later_, &QTimer::timeout, this, &StrokeList::refresh);
    connect(&display_, &MendedDisplay::changed, &later_, qOverload<>(&QTimer::start));
    connect(&display_, &MendedDisplay::area_changed, &later_, qOverload<>(&QTimer::start));
    as_brush_ = make_button(tr("As the brush"), {},
                            tr("The stroke is painted again along its path, with the brush and the source as "
                               "they are now"),
                            this);
    as_brush_->setObjectName(QStringLiteral("strokeAsBrush"));
    delete_ = make_button(tr("Delete"), {}, tr("The stroke goes; undo brings it back"), this);
    delete_->setObjectName(QStringLiteral("deleteStroke"));
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->addWidget(words_);
    rows->addWidget(list_);
    rows->addLayout(side_by_side(as_brush_, delete_));
    take_over_ =
        make_button({}, {},
                    tr("Strokes of the other result are painted here, too, at the same places; useful "
                       "after merging anew"),
                    this);
    take_over_->setObjectName(QStringLiteral("takeOverStrokes"));
    rows->addWidget(take_over_);
    connect(take_over_, &QPushButton::clicked, &edits_, &StrokeEdits::take_over_strokes);
    auto* shown = new QCheckBox(tr("Show what was painted (U)"), this);
    shown->setObjectName(QStringLiteral("showPainted"));
    shown->setToolTip(tr(
        "Over the picture: the depth colour of the frame that each stroke brought, violet stripes for other "
        "results and places"));
    rows->addWidget(shown);
    connect(shown, &QCheckBox::clicked, &base_.standpoint, &Standpoint::set_shows_painted);
    connect(&base_.standpoint, &Standpoint::changed, shown, [this, shown](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::painted) shown->setChecked(base_.standpoint.shows_painted());
    });
    connect(list_, &RowList::tick_asked, this,
            [this](int row, bool ticked) { edits_.set_stroke_off(stroke_at(row), !ticked); });
    connect(list_, &RowList::current_moved, this, [this](int row) {
        refresh();
        if (row >= 0 && result()) {
            const Stroke& stroke = result()->strokes[stroke_at(row)];
            if (is_everywhere(stroke)) return;
            const PixelRect area = reach_of(stroke);
            emit chosen(QRectF(area.x, area.y, area.width, area.height));
        }
    });
    connect(as_brush_, &QPushButton::clicked, this,
            [this] { edits_.paint_stroke_as_brush(chosen_stroke()); });
    connect(delete_, &QPushButton::clicked, this, [this] { edits_.delete_stroke(chosen_stroke()); });
}

int StrokeList::stroke_at(int row) const {
    return result() ? result()->strokes.size() - 1 - row : -1;
}

int StrokeList::chosen_stroke() const {
    return list_->current() < 0 ? -1 : stroke_at(list_->current());
}

QPixmap StrokeList::small_picture(const Stroke& stroke) const {
    QPixmap pixmap = list_->canvas(Theme::current().surround);
    QPainter painter(&pixmap);
    const QRectF room(kSwatch + 1, 0, kStrokeIcon.width() - kSwatch - 1, kStrokeIcon.height());
    if (const auto display = display_.picture()) {
        QRectF area(display->area());
        if (!is_everywhere(stroke)) {
            const PixelRect own = reach_of(stroke);
            area &= QRectF(own.x, own.y, own.width, own.height).adjusted(-8, -8, 8, 8);
        }
        draw_small_picture(painter, room, display.get(), area);
    }
    painter.fillRect(QRect(0, 0, kSwatch, kStrokeIcon.height()), swatch_of(base_.document.project(), stroke));
    return pixmap;
}

void StrokeList::refresh() {
    const SharedList<Stroke> strokes = result() ? result()->strokes : SharedList<Stroke>();
    std::vector<ListRow> rows;
    for (int number = strokes.size() - 1; number >= 0; --number) {
        const Stroke& stroke = strokes[number];
        QString words = stroke_words(base_.document.project(), stroke);
        const QString tip = tr("%1, %2 px wide. Unticked: kept, but as if it had not been painted.")
                                .arg(words)
                                .arg(2 * stroke.radius_px, 0, 'f', 0);
        words = tr("%1  %2").arg(number + 1).arg(words.replace(tr("draw-in from "), QString()));
        rows.push_back({.key = QString::number(number),
                        .words = words,
                        .tip = tip,
                        .picture = small_picture(stroke),
                        .ticked = !stroke.is_off,
                        .is_quiet = stroke.is_off});
    }
    list_->set_rows(std::move(rows));
    const int chosen = chosen_stroke();
    as_brush_->setEnabled(chosen >= 0);
    delete_->setEnabled(chosen >= 0);
    // Offered where a fresh merge follows one that was mended.
    const ProjectResult* other = strokes.empty() ? edits_.others_strokes() : nullptr;
    take_over_->setVisible(other != nullptr);
    if (other)
        take_over_->setText(
            tr("Take over %1 of %2")
                .arg(strokes_text(other->strokes.size()), QString::fromStdString(other->title)));
    words_->setText(!result()         ? tr("Nothing is merged yet (Ctrl+Return).")
                    : strokes.empty() ? tr("Nothing is painted yet.")
                                      : tr("%1, the newest first").arg(strokes_text(strokes.size())));
}

}  // namespace moorhaze::desktop
