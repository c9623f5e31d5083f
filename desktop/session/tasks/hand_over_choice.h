// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "desktop/session/document/session_base.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// What is decided about the files that the picture leaves as; each change is a step of undo. Files that are
/// named are read beside the interface first: what is no list of articles, or no colour profile, is said when
/// it is chosen, and changes nothing.
class HandOverChoice : public QObject {
    Q_OBJECT
  public:
    explicit HandOverChoice(SessionBase& base, QObject* parent = nullptr) : QObject(parent), base_(base) {}

    const HandOver& own() const { return base_.document.project().hand_over; }
    int count() const { return int(own().outputs.size()); }
    /// @param join  steps that follow each other with the same of these are one.
    void change(const QString& what, const std::function<void(HandOver&)>& change, const QString& join = {});
    void change_output(int place, const QString& what, const std::function<void(Output&)>& change,
                       const QString& join = {});
    void add_like(int place);
    void remove(int place);  ///< the last one stays
    void set_off(int place, bool off);

    void take_articles(const QString& file);
    void take_profile(int place, const QString& file);
    bool is_reading() const { return reading_.is_busy(); }

    /// The folder that is offered as long as nobody chose one.
    static QString usual_folder();

  signals:
    void refused();  ///< a file that was chosen; it was said why

  private:
    void take(const QString& file, const std::function<void()>& probe, const std::function<void()>& take_it);

    SessionBase& base_;
    LatestWish reading_;
};

}  // namespace moorhaze::desktop
