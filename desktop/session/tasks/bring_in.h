// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// Pictures from outside that show what the result shown does, as results to paint from: kept with the
/// project, so that nothing is missing when the file is gone.
class BringIn : public QObject {
    Q_OBJECT
  public:
    explicit BringIn(SessionBase& base, QObject* parent = nullptr) : QObject(parent), base_(base) {}

    /// Why nothing can be brought in now, in words; empty if it can.
    QString why_not() const;
    /// Reads a picture and lays it over the result shown; it becomes what is drawn in from.
    void bring_in(const QString& file);

  private:
    struct Brought {
        MergeProduct product;
        double moved_px = 0;
    };
    void take(const ProjectResult& over, const std::string& name, const Brought& brought);

    SessionBase& base_;
};

}  // namespace moorhaze::desktop
