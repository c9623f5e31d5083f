// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/finish_pages.h"

#include <QColorDialog>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "core/finish/framing.h"

namespace moorhaze::desktop {
namespace {

struct Shape {
    const char* name;
    double across, down;  ///< 0: no shape
};
constexpr Shape kShapes[] = {{QT_TRANSLATE_NOOP("FramePage", "Any shape"), 0, 0},
                             {"1 : 1", 1, 1},
                             {"5 : 4", 5, 4},
                             {"4 : 3", 4, 3},
                             {"3 : 2", 3, 2},
                             {"16 : 9", 16, 9},
                             {"4 : 5", 4, 5},
                             {"2 : 3", 2, 3}};

/// The first shape that a size has, to a pixel.
int shape_of(PixelRect crop) {
    for (int i = 1; i < int(std::size(kShapes)); ++i)
        if (std::abs(crop.width * kShapes[i].down - crop.height * kShapes[i].across) <=
            std::max(kShapes[i].across, kShapes[i].down))
            return i;
    return 0;
}

FinishValue percent(const char* object_name, const QString& name, const QString& tip, FinishPart part,
                    std::function<double&(Finish&)> value, double least = -100, double most = 100) {
    return {object_name,
            {name, QStringLiteral("%"), tip, {}, least, most, 1, 0, false},
            std::move(value),
            part,
            0.01};
}

}  // namespace

FramePage::FramePage(Session& session, Commands& commands, QWidget* parent) : FinishRows(session, parent) {
    add_words("quiet",
              tr("Drag the frame's edges or corners in the picture, or the whole of it from inside."));
    shape_ = new QComboBox(this);
    shape_->setObjectName(QStringLiteral("cropShape"));
    shape_->setAccessibleName(tr("Shape"));
    shape_->setToolTip(tr("The crop gets this shape, as large as the picture allows"));
    for (const Shape& shape : kShapes) shape_->addItem(tr(shape.name));
    rows()->addWidget(shape_);
    auto* size = new QHBoxLayout;
    size->setSpacing(8);
    auto add_side = [&](const char* object_name, const QString& name) {
        auto* side = new QSpinBox(this);
        side->setObjectName(QLatin1String(object_name));
        side->setAccessibleName(name);
        side->setToolTip(tr("%1 of the crop, around its middle").arg(name));
        side->setRange(1, 100000);
        side->setSuffix(QStringLiteral(" px"));
        side->setKeyboardTracking(false);
        size->addWidget(side, 1);
        connect(side, &QSpinBox::valueChanged, this, &FramePage::set_size);
        return side;
    };
    width_ = add_side("cropWidth", tr("Width"));
    auto* times = new QLabel(QStringLiteral("×"), this);
    times->setProperty("role", "quiet");
    size->addWidget(times);
    height_ = add_side("cropHeight", tr("Height"));
    rows()->addLayout(size);
    rows()->addLayout(side_by_side(commands.button(QStringLiteral("suggest-crop"), tr("Suggested"), this),
                                   commands.button(QStringLiteral("crop-all"), tr("All of it"), this)));
    turn_ = new ValueRow({tr("Turn"),
                          QStringLiteral("°"),
                          tr("Turns the picture clockwise around the middle of the crop"),
                          {},
                          -45,
                          45,
                          0.1,
                          2,
                          false},
                         this);
    turn_->setObjectName(QStringLiteral("turn"));
    rows()->addWidget(turn_);
    rows()->addWidget(commands.button(QStringLiteral("level-line"), tr("Level along a line"), this));
    rows()->addWidget(commands.button(QStringLiteral("correct-lens"), tr("Correct the lens"), this));
    corners_ = new QComboBox(this);
    corners_->setObjectName(QStringLiteral("emptyCorners"));
    corners_->setAccessibleName(tr("Empty corners"));
    corners_->setToolTip(tr("What becomes of the corners that turning leaves empty"));
    corners_->addItems({tr("Empty corners left out"), tr("Empty corners transparent"),
                        tr("Empty corners white"), tr("Empty corners continued")});
    rows()->addWidget(corners_);
    words_ = add_words("quiet", {});
    connect(turn_, &ValueRow::value_changed, &session_.finishing, &Finishing::set_turn);
    connect(shape_, &QComboBox::activated, this, [this](int place) {
        if (kShapes[place].across > 0)
            session_.finishing.set_shape(kShapes[place].across, kShapes[place].down);
    });
    connect(corners_, &QComboBox::activated, this, [this](int place) {
        session_.finishing.change(tr("set the empty corners"),
                                  [place](Finish& own) { own.framing.corners = EmptyCorners(place); });
    });
}

void FramePage::set_size() {
    const PixelRect kept = session_.finishing.kept();
    const PixelRect all = turned_area(session_.finishing.finish().framing, session_.finishing.area());
    if (kept.empty()) return;
    const int width = std::min(width_->value(), all.width), height = std::min(height_->value(), all.height);
    PixelRect crop(kept.x + (kept.width - width) / 2, kept.y + (kept.height - height) / 2, width, height);
    crop.x = std::clamp(crop.x, all.x, all.br().x - width);
    crop.y = std::clamp(crop.y, all.y, all.br().y - height);
    session_.finishing.change(
        tr("set the crop's size"), [&](Finish& own) { own.framing.crop = crop, own.framing.is_off = false; },
        QStringLiteral("crop size"));
}

void FramePage::refresh() {
    FinishRows::refresh();
    const Framing& framing = session_.finishing.finish().framing;
    const PixelRect kept = session_.finishing.kept(), area = session_.finishing.area();
    const QSignalBlocker quiet_width(width_), quiet_height(height_);
    width_->setValue(std::max(1, kept.width));
    height_->setValue(std::max(1, kept.height));
    shape_->setCurrentIndex(framing.crop ? shape_of(kept) : 0);
    turn_->set_value(framing.turn_deg);
    corners_->setCurrentIndex(int(framing.corners));
    corners_->setEnabled(framing.turn_deg != 0);
    for (QWidget* widget : std::initializer_list<QWidget*>{shape_, width_, height_, turn_})
        widget->setEnabled(!area.empty());
    if (area.empty())
        words_->setText(tr("Nothing is merged yet (Ctrl+Return)."));
    else if (framing.is_off)
        words_->setText(tr("The frame is switched off: all of the picture is handed over."));
    else if (!framing.crop && framing.turn_deg == 0)
        words_->setText(tr("All of the merge: %1 x %2 px.").arg(area.width).arg(area.height));
    else if (framing.turn_deg != 0 && framing.corners == EmptyCorners::left_out && framing.crop &&
             kept != *framing.crop)
        words_->setText(tr("The crop was made smaller, so that no empty corner is in it."));
    else if (framing.turn_deg != 0 && framing.corners != EmptyCorners::left_out &&
             keeps_empty_corners(framing, area))
        words_->setText(framing.corners == EmptyCorners::white
                            ? tr("Some of the crop is empty and becomes white.")
                        : framing.corners == EmptyCorners::continued
                            ? tr("Some of the crop is empty: the picture's border goes on there.")
                            : tr("Some of the crop is empty and stays transparent."));
    else
        words_->setText(tr("%1 % of the merge is kept.").arg(100.0 * kept.area() / area.area(), 0, 'f', 0));
}

LightPage::LightPage(Session& session, Commands& commands, QWidget* parent) : FinishRows(session, parent) {
    add_words("quiet",
              tr("Black, white, middle and curve are on the line at the left: drag its handles, double-click "
                 "for a point."));
    rows()->addWidget(commands.button(QStringLiteral("fit-tones"), tr("Fit black and white"), this));
    add_value({"exposure",
               {tr("Exposure"), tr("EV"), tr("Twice the light with each step"), {}, -5, 5, 0.1, 2, false},
               [](Finish& own) -> double& { return own.light.exposure_ev; },
               FinishPart::light});
    add_value(percent("lights", tr("Lights"), tr("Large light areas, brighter or darker; their detail stays"),
                      FinishPart::light, [](Finish& own) -> double& { return own.light.lights; }));
    add_value(percent("shadows", tr("Shadows"),
                      tr("Large dark areas, brighter or darker; their detail stays"), FinishPart::light,
                      [](Finish& own) -> double& { return own.light.shadows; }));
    add_value({"corners",
               {tr("Corners"),
                tr("EV"),
                tr("Light in the crop's corners; it falls off or rises smoothly from the middle"),
                {},
                -4,
                4,
                0.1,
                2,
                false},
               [](Finish& own) -> double& { return own.vignette.corners_ev; },
               FinishPart::vignette});
    add_value(percent(
        "roundness", tr("Roundness"), tr("Of the corners' light: 0 as the picture's shape, 100 a circle"),
        FinishPart::vignette, [](Finish& own) -> double& { return own.vignette.roundness; }, 0));
    rows()->addWidget(commands.button(QStringLiteral("place-vignette"), tr("Place its middle"), this));
}

ColourPage::ColourPage(Session& session, Commands& commands, QWidget* parent) : FinishRows(session, parent) {
    add_words("quiet",
              tr("Point at a colour and drag. Across: saturation, up and down: lightness, with Shift: hue."));
    rows()->addLayout(side_by_side(commands.button(QStringLiteral("pick-grey"), tr("Pick a grey"), this),
                                   commands.button(QStringLiteral("as-shot-white"), tr("As shot"), this)));
    add_value({"warmth",
               {tr("Warmth"),
                tr("K"),
                tr("Colour temperature of the light that fell; higher makes the picture warmer"),
                {},
                2000,
                15000,
                50,
                0,
                true},
               [](Finish& own) -> double& { return own.light.warmth_k; },
               FinishPart::light});
    add_value(
        {"violet",
         {tr("Green, violet"),
          {},
          tr("How much too green the light was, in thousandths of Duv; higher makes the picture more violet"),
          {},
          -50,
          50,
          1,
          1,
          false},
         [](Finish& own) -> double& { return own.light.violet; },
         FinishPart::light});
    add_value(percent("saturation", tr("Saturation"), tr("Strength of all colours"), FinishPart::colour,
                      [](Finish& own) -> double& { return own.colour.saturation; }));
    add_value(percent("vibrance", tr("Vibrance"), tr("Strength of pale colours; strong ones change little"),
                      FinishPart::colour, [](Finish& own) -> double& { return own.colour.vibrance; }));
    rows()->addWidget(
        commands.button(QStringLiteral("find-fringes"), tr("Bring the colours together"), this));
    add_value(percent(
        "edgeFringes", tr("Edge fringes"),
        tr("How much narrow violet and green bands along edges lose their colour; broad areas keep it"),
        FinishPart::fringes, [](Finish& own) -> double& { return own.fringes.at_edges; }, 0));
    heading_ = add_words("section", tr("Single colours"));
    ones_ = make_short_list(QStringLiteral("singleColours"), tr("Single colours"), this);
    ones_->setToolTip(tr("Double-click takes one back"));
    rows()->addWidget(ones_);
    connect(ones_, &RowList::taken, this, [this](int row) {
        const auto place = std::size_t(row);
        session_.finishing.change(tr("take a single colour back"), [place](Finish& own) {
            if (place < own.colour.ones.size())
                own.colour.ones.erase(own.colour.ones.begin() + std::ptrdiff_t(place));
        });
    });
}

void ColourPage::refresh() {
    FinishRows::refresh();
    std::vector<ListRow> colours;
    for (const OneColour& own : session_.finishing.finish().colour.ones)
        colours.push_back({.key = QString::number(colours.size()), .words = FinishStrokes::words_of(own)});
    heading_->setVisible(!colours.empty());
    ones_->set_rows(std::move(colours));
}

DetailPage::DetailPage(Session& session, Commands& commands, QWidget* parent) : FinishRows(session, parent) {
    add_words("quiet", tr("Look at 100 % (Ctrl+1): smaller views show fine detail only in part."));
    add_value(percent("clarity", tr("Clarity"), tr("Contrast of middle sizes; edges of large areas stay"),
                      FinishPart::detail, [](Finish& own) -> double& { return own.detail.clarity; }));
    add_value(percent(
        "sharpening", tr("Sharpening"), tr("Times the difference from the blurred picture"),
        FinishPart::detail, [](Finish& own) -> double& { return own.detail.sharpening; }, 0, 300));
    rows()->addLayout(
        side_by_side(commands.button(QStringLiteral("paint-sharpening"), tr("Paint where"), this),
                     commands.button(QStringLiteral("unpaint-sharpening"), tr("Take back"), this)));
    add_value({"sharpenRadius",
               {tr("Radius"),
                tr("px"),
                tr("Of the sharpening's blur: small for fine hairs"),
                {},
                0.3,
                5,
                0.1,
                1,
                true},
               [](Finish& own) -> double& { return own.detail.radius_px; },
               FinishPart::detail});
    add_value({"sharpenThreshold",
               {tr("Threshold"),
                tr("%"),
                tr("Differences of tone below it are not sharpened: grain stays as it is"),
                {},
                0,
                10,
                0.1,
                1,
                false},
               [](Finish& own) -> double& { return own.detail.threshold; },
               FinishPart::detail,
               0.01});
    add_value(
        {"noise",
         {tr("Noise"),
          tr("%"),
          tr("Of luminance: what lies within so much of the tone scale is taken out; detail that stands "
             "out stays"),
          {},
          0,
          10,
          0.1,
          1,
          false},
         [](Finish& own) -> double& { return own.detail.noise; },
         FinishPart::detail,
         0.01});
    rows()->addWidget(commands.button(QStringLiteral("measure-noise"), tr("Measure the noise"), this));
    add_value(percent(
        "colourNoise", tr("Colour noise"),
        tr("How much blotches of colour are evened out; edges of colour stay"), FinishPart::detail,
        [](Finish& own) -> double& { return own.detail.colour_noise; }, 0));
}

GroundPage::GroundPage(Session& session, Commands& commands, QWidget* parent) : FinishRows(session, parent) {
    words_ = add_words("quiet", {});
    rows()->addWidget(commands.button(QStringLiteral("pick-ground"), tr("Pick the ground"), this));
    add_value(percent(
        "groundReach", tr("Reach"), tr("Difference of light and colour that still belongs to the ground"),
        FinishPart::ground, [](Finish& own) -> double& { return own.ground.reach; }, 2, 50));
    add_value(percent(
        "keepShadow", tr("Shadow kept"), tr("How much of shadows and reflections on the ground stays"),
        FinishPart::ground, [](Finish& own) -> double& { return own.ground.keep_shadow; }, 0));
    add_value(percent(
        "groundTone", tr("Becomes"), tr("100 is pure white, 0 black"), FinishPart::ground,
        [](Finish& own) -> double& { return own.ground.tone; }, 0));
    colour_ = make_button(
        {}, {}, tr("Instead of a tone between black and white the ground becomes this colour"), this);
    colour_->setObjectName(QStringLiteral("groundColour"));
    rows()->addWidget(colour_);
    connect(colour_, &QPushButton::clicked, this, [this] {
        if (session_.finishing.finish().ground.colour) return session_.finishing.set_ground_colour({});
        const QColor colour = QColorDialog::getColor(Qt::white, this, tr("What the ground becomes"));
        if (colour.isValid())
            session_.finishing.set_ground_colour(cv::Vec3d(colour.redF(), colour.greenF(), colour.blueF()));
    });
    remove_ = make_button(tr("Leave the ground as it is"), {}, tr("Takes the picked ground back"), this);
    remove_->setObjectName(QStringLiteral("removeGround"));
    rows()->addWidget(remove_);
    connect(remove_, &QPushButton::clicked, this, [this] { session_.finishing.reset(FinishPart::ground); });
}

void GroundPage::refresh() {
    FinishRows::refresh();
    const bool picked = session_.finishing.finish().ground.picked.has_value();
    remove_->setEnabled(picked);
    colour_->setEnabled(picked);
    colour_->setText(session_.finishing.finish().ground.colour ? tr("White, grey or black again")
                                                               : tr("Another colour..."));
    words_->setText(
        picked ? tr("What is connected with the picked place and has its colour becomes one tone; the "
                    "subject's edge is kept.")
               : tr("For product pictures: click the backdrop, and all that is connected with it becomes "
                    "pure white (255)."));
}

}  // namespace moorhaze::desktop
