// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/raw_page.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "desktop/tray/tray_parts.h"

namespace moorhaze::desktop {

RawPage::RawPage(SessionBase& base, QWidget* parent) : QWidget(parent), base_(base) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 8, 0, 0);
    rows->setSpacing(6);
    auto* heading = new QLabel(tr("Raw development, all frames alike"), this);
    heading->setProperty("role", "section");
    rows->addWidget(heading);
    auto add = [&](const char* name, const ValueRow::Look& look) {
        auto* row = new ValueRow(look, this);
        row->setObjectName(QString::fromLatin1(name));
        rows->addWidget(row);
        return row;
    };
    red_ = add("rawRed", {tr("White balance, red"),
                          {},
                          tr("How much red is raised against green"),
                          {},
                          0.2,
                          8,
                          0.05,
                          2,
                          true});
    blue_ = add("rawBlue", {tr("White balance, blue"),
                            {},
                            tr("How much blue is raised against green"),
                            {},
                            0.2,
                            8,
                            0.05,
                            2,
                            true});
    from_frame_ = make_button(tr("As noted in the frame shown"), {},
                              tr("Takes the white balance that the camera noted in the frame shown"), this);
    from_frame_->setObjectName(QStringLiteral("rawFromFrame"));
    rows->addWidget(from_frame_);
    exposure_ = add(
        "rawExposure",
        {tr("Exposure"), tr("EV"), tr("Brightens or darkens all frames alike"), {}, -4, 4, 0.1, 1, false});
    black_ = add("rawBlack",
                 {tr("Black point"), tr("%"), tr("Raises what counts as black"), {}, 0, 50, 0.5, 1, false});
    white_ = add("rawWhite",
                 {tr("White point"), tr("%"), tr("Lowers what counts as white"), {}, 0, 50, 0.5, 1, false});
    demosaic_ = new QComboBox(this);
    demosaic_->setObjectName(QStringLiteral("rawDemosaic"));
    demosaic_->setAccessibleName(tr("Demosaicing"));
    demosaic_->setToolTip(tr("How the colours between the sensor's coloured pixels are made"));
    demosaic_->addItem(tr("Bilinear: quick, softer"), int(Demosaic::bilinear));
    demosaic_->addItem(tr("Patterned grouping: quick, clean"), int(Demosaic::ppg));
    demosaic_->addItem(tr("Adaptive: the finest detail"), int(Demosaic::ahd));
    rows->addWidget(demosaic_);
    develop_ = make_button(tr("Develop"), {},
                           tr("Develops all frames anew with these values, and looks at them again"), this);
    develop_->setObjectName(QStringLiteral("rawDevelop"));
    rows->addWidget(develop_);
    connect(develop_, &QPushButton::clicked, this, [this] { emit develop_asked(wanted()); });
    connect(from_frame_, &QPushButton::clicked, this, [this] {
        const PictureInfo& info = base_.document.series().frames[std::size_t(base_.standpoint.place())].info;
        if (info.noted_red <= 0) return;
        red_->set_value(info.noted_red);
        blue_->set_value(info.noted_blue);
    });
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.series || changes.frames || changes.development) refresh();
    });
    refresh();
}

Development RawPage::wanted() const {
    Development development = base_.document.project().development;
    development.red = red_->value();
    development.blue = blue_->value();
    development.exposure_ev = exposure_->value();
    development.black_shift = black_->value() / 100;
    development.white_shift = white_->value() / 100;
    development.demosaic = Demosaic(demosaic_->currentData().toInt());
    return development;
}

void RawPage::refresh() {
    const auto& frames = base_.document.series().frames;
    const auto raw = std::find_if(frames.begin(), frames.end(),
                                  [](const Frame& frame) { return frame.info.format == FileFormat::raw; });
    setVisible(raw != frames.end());
    if (raw == frames.end()) return;
    const Development& now = raw->development;
    red_->set_value(now.red > 0 ? now.red : 1);
    blue_->set_value(now.blue > 0 ? now.blue : 1);
    exposure_->set_value(now.exposure_ev);
    black_->set_value(100 * now.black_shift);
    white_->set_value(100 * now.white_shift);
    demosaic_->setCurrentIndex(demosaic_->findData(int(now.demosaic)));
}

}  // namespace moorhaze::desktop
