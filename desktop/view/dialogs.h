// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QCoreApplication>

#include "desktop/session/session.h"
#include "desktop/view/commands.h"

class QSettings;

namespace moorhaze::desktop {

/// What the window asks in dialogs, and what follows from the answers.
class Dialogs {
    Q_DECLARE_TR_FUNCTIONS(Dialogs)
  public:
    Dialogs(QWidget& window, Session& session) : window_(window), session_(session) {}
    /// Where the last folders are remembered.
    void remember_in(QSettings* settings) { settings_ = settings; }

    /// What is to be opened; empty when the person thought better of it.
    QStringList folder_of_frames();
    QStringList frames();
    QString project();

    void keep_as();
    void find_frames();
    void take_last_good(const QString& file, const QString& why);
    void save_frame();
    void save_mask();
    void bring_in();
    void save_look();
    void use_look();
    void take_recipe();
    void save_recipe();
    void watch_folder();
    void memory();
    void drop_result(ResultId result);
    void keys(const Commands& commands);
    void said();
    void about();

    /// Asks where something unsaved would be lost; true when it may be.
    bool may_drop_results(const QString& title, const QString& what);
    /// The project cannot be written; what to do.
    enum class Unwritten { stay, try_again, leave };
    Unwritten leave_unwritten(const QString& why);
    bool may_leave();

  private:
    QStringList under_way() const;
    QString name_to_save(const QString& title, const QString& proposed, const QString& filter,
                         const QString& ending);
    QString last_folder() const;
    void remember_folder(const QString& folder);

    QWidget& window_;
    Session& session_;
    QSettings* settings_ = nullptr;
};

}  // namespace moorhaze::desktop
