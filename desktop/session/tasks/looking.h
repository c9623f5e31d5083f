// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// Looks into the series whenever its frames, their order or their development are others than those that
/// were looked at. When it was stopped or failed it says so, and goes on when it is asked to or its outcome
/// is needed.
class Looking : public QObject {
    Q_OBJECT
  public:
    explicit Looking(SessionBase& base, QObject* parent = nullptr);

    /// Where looks at frames are kept for the next time; nothing is kept before this is called.
    void set_folder(const std::filesystem::path& folder) { cache_.emplace(folder); }

    bool is_done() const { return base_.products.is_looked(); }
    /// Stopped or failed, and not begun again.
    bool is_stopped() const { return stopped_ && !is_done() && base_.document.has_series(); }
    /// How much detail each frame seen so far holds, by place; below 0: not seen yet.
    const std::vector<double>& first_looks() const { return first_looks_; }
    /// Frames that could not be read.
    QStringList problems() const;

    /// Begins, or goes on, if it is not done and not under way.
    void start();
    /// Once more, where what is known was put together frame by frame as they arrived.
    void look_as_a_whole();
    /// As start() within a JobRunner::decide; false when there is nothing to do.
    bool start_first();

  signals:
    void frame_looked(int place);

  private:
    void follow(const Changes& changes);
    bool begin(bool first, bool again = false);
    void tell_of_others(const Project& before);

    SessionBase& base_;
    std::optional<ProfileCache> cache_;
    std::vector<double> first_looks_;
    std::optional<LookInputs> under_way_;
    Ticket ticket_;  ///< of the work under way
    bool stopped_ = false;
    Mailbox mailbox_;
};

}  // namespace moorhaze::desktop
