// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/tasks/looking.h"

namespace moorhaze::desktop {

/// Finds how the frames lie, and places them anew when that is decided otherwise.
class Aligning : public QObject {
    Q_OBJECT
  public:
    Aligning(SessionBase& base, Looking& looking, QObject* parent = nullptr);

    /// Aligns the frames as they are when its turn comes.
    void align();
    /// Somebody asks: what failed or was stopped before is tried again.
    void try_again();
    /// Within a JobRunner::decide: begins what is needed first, looking or aligning, and true; false when the
    /// plane is up to date or cannot be made, which was said then.
    bool start_needed();

    /// Each one step of undo; a change of placing needs no new measurement and is made at once.
    void set_placing(const Placing& placing, const QString& what);
    void set_kept(KeptArea kept);

  private:
    void follow(const Changes& changes);
    void go_on();

    SessionBase& base_;
    Looking& looking_;
    std::optional<AlignInputs> refused_;  ///< what failed is not tried again by itself
};

}  // namespace moorhaze::desktop
