// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "tests/desktop/asking.h"
#include "tests/desktop/waiting.h"
#include "tests/support/series_files.h"

namespace moorhaze::test {

/// Another series than the strips: bright edges, of the same size and number of frames.
inline const Scratch& edge_files() {
    static const Scratch scratch;
    static const bool written = [] {
        write_series(scratch, edge_series({240, 140}, 6));
        return true;
    }();
    (void)written;
    return scratch;
}

/// A session without a window, with a small series of strips in it. The files are written once for all tests.
struct StripSession {
    static const Scratch& files() {
        static const Scratch scratch;
        static const bool written = [] {
            write_series(scratch, strip_series({240, 140}, kFrames));
            return true;
        }();
        (void)written;
        return scratch;
    }
    static constexpr int kFrames = 6;

    explicit StripSession(bool opened = true) {
        QObject::connect(&session.notices, &desktop::Notices::notified, &session.notices,
                         [this](const QString& text, bool is_error) { (is_error ? errors : notes) << text; });
        const auto& folder = files().folder();
        if (!opened) return;
        session.opening.open({folder});
        wait_until([&] { return session.looking.is_done() && !session.jobs.busy(); });
    }

    void merge() {
        const int before = results(session).size();
        session.merging.merge();
        wait_until([&] { return results(session).size() > before && !session.jobs.busy(); });
        wait_until([&] { return session.brushwork.is_settled(); });
    }
    /// The next picture file of the same kind, as if it had just been shot.
    Frame another_frame(const Scratch& scratch) {
        const auto file = scratch / "later.tif";
        std::filesystem::copy_file(session.document.series().frames.back().path, file,
                                   std::filesystem::copy_options::overwrite_existing);
        return {file, read_picture_info(file), {}, true, {}};
    }
    /// It arrives: with what is known of the frames then.
    void arrive(const Scratch& scratch) {
        const Frame frame = another_frame(scratch);
        auto profiles = session.products.looked()->profiles;
        const FocusProfile own = focus_profile(frame, int(profiles.size()), {}).value();
        profiles.push_back(own);
        session.opening.add_frame(frame, own, profile_series(profiles));
    }

    QStringList errors, notes;  ///< that the person was notified of
    desktop::Session session;
};

}  // namespace moorhaze::test
