// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/hands/brushwork.h"

namespace moorhaze::desktop {

/// What is done to strokes that are there already, of the result shown, by their places in its list: each a
/// step of undo. In the interface's thread.
class StrokeEdits : public QObject {
    Q_OBJECT
  public:
    StrokeEdits(SessionBase& base, const Brushwork& brushwork, QObject* parent = nullptr)
        : QObject(parent), base_(base), brushwork_(brushwork) {}

    void set_stroke_off(int stroke, bool off);
    /// Painted again with the brush and the source as they are now, along the same path.
    void paint_stroke_as_brush(int stroke);
    void delete_stroke(int stroke);
    /// The other result whose strokes may be taken over: the newest one that has any.
    const ProjectResult* others_strokes() const;
    /// Paints them here, too, beneath none of the strokes that are there; nothing is taken from the other.
    void take_over_strokes();

  private:
    void change_stroke(const QString& what, int stroke, const std::function<void(Stroke&)>& change);

    SessionBase& base_;
    const Brushwork& brushwork_;
};

}  // namespace moorhaze::desktop
