// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>

#include "desktop/session/document/changes.h"

namespace moorhaze::desktop {

/// What became different since everything was last at rest.
struct Settled {
    Changes document;
    unsigned products = 0, standpoint = 0;  ///< a bit for each Products::Kind and Standpoint::Aspect

    template <class Kind>
    bool has_product(Kind kind) const {
        return (products >> int(kind)) & 1U;
    }
    bool has_any_product() const { return products != 0; }
    template <class Aspect>
    bool has_aspect(Aspect aspect) const {
        return (standpoint >> int(aspect)) & 1U;
    }
    template <class... Aspects>
    bool has_any_of(Aspects... aspects) const {
        return (has_aspect(aspects) || ...);
    }
};

/// Says once that document, products and standpoint agree with each other again, however many of them a step
/// changed: whoever looks at several of them together follows `settled`, and depends on nobody's place among
/// the listeners. In the interface's thread.
class Settling : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    /// While any of these lives, a step is under way. What `settled` sets off is a step of its own.
    class Step {
      public:
        explicit Step(Settling& own) : own_(own) { ++own_.depth_; }
        Step(const Step&) = delete;
        Step& operator=(const Step&) = delete;
        ~Step() { own_.end(); }
        void note(const Changes& changes) {
            own_.now_.document = joined(own_.now_.document, changes);
            own_.any_ = true;
        }
        template <class Kind>
        void note_product(Kind kind) {
            own_.now_.products |= 1U << int(kind);
            own_.any_ = true;
        }
        template <class Aspect>
        void note_aspect(Aspect aspect) {
            own_.now_.standpoint |= 1U << int(aspect);
            own_.any_ = true;
        }

      private:
        Settling& own_;
    };

  signals:
    void settled(const moorhaze::desktop::Settled& what);

  private:
    void end() {
        if (--depth_ > 0 || !any_) return;
        any_ = false;
        emit settled(std::exchange(now_, {}));
    }

    Settled now_;
    int depth_ = 0;
    bool any_ = false;
};

}  // namespace moorhaze::desktop
