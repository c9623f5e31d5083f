// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QStringList>

#include "core/mend/snags.h"
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// Words for a person, shared by the views.

/// A few words for what is wrong at a doubtful place: "soft rim".
QString snag_name(SnagKind kind);
QString exposure_text(double seconds);                   ///< "1/160 s", "2 s"
QStringList series_facts(const Series& series);          ///< a line each
QString frame_caption(const Series& series, int frame);  ///< "frame 10 · f/8 · 1/160 s"
QString frames_text(int first, int last);                ///< "Frame 4" or "Frames 4 to 9", given from 0

/// Frames that follow each other and are flagged for the same kind of reason.
struct Suggestion {
    int first = 0, last = 0;
    QString reason;
    bool done = false;  ///< all of them are left out already
};
std::vector<Suggestion> suggestions(const SessionBase& base);
QString strokes_text(int count);  ///< "1 stroke", "3 strokes"
/// What a stroke brings: "frame 12", "Pyramid 2".
QString source_words(const Project& project, const Stroke& stroke);
/// What a stroke does: "draw-in from frame 3", "fade to Pyramid 2", "heal", "wipe back".
QString stroke_words(const Project& project, const Stroke& stroke);
/// "1 snag", "no snags"; where some are seen at once these alone, else "7 slight snags".
QString snags_text(int plain, int all);
QString gap_text(const FocusGap& gap);

/// What is wrong with the order of the frames, in a sentence; empty if nothing is.
QString order_text(const OrderReport& order);

}  // namespace moorhaze::desktop
