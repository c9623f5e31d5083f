// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QCoreApplication>
#include <functional>
#include <utility>

#include "desktop/session/session.h"
#include "desktop/view/commands.h"

namespace moorhaze::desktop {

/// Adds commands of one menu.
class Menu {
  public:
    Menu(Commands& commands, Session& session, const char* heading)
        : commands_(commands), session_(session), heading_(heading ? tr(heading) : QString()) {}

    static QString tr(const char* text) { return QCoreApplication::translate("Commands", text); }

    struct More {
        std::function<bool()> is_on{};
        std::function<QString()> why_not{};
    };
    void add(const char* id, const QString& words, const char* key, const QString& tip,
             std::function<void()> run) {
        add(id, words, key, tip, std::move(run), More());
    }
    void add(const char* id, const QString& words, const char* key, const QString& tip,
             std::function<void()> run, const More& more) {
        commands_.add({QString::fromLatin1(id), words, QString::fromLatin1(key), tip, heading_,
                       std::move(run), more.is_on, more.why_not, std::exchange(group_, false)});
    }
    void add_line() { group_ = true; }

    /// Needs a series.
    More with_series() const {
        return {{}, [&s = session_] {
                    return s.document.has_series() ? QString() : tr("Open a series first (Ctrl+O).");
                }};
    }
    More with_result() const {
        return {{}, [&s = session_] {
                    return s.standpoint.result() ? QString() : tr("Nothing is merged yet (Ctrl+Return).");
                }};
    }

  private:
    Commands& commands_;
    Session& session_;
    QString heading_;
    bool group_ = false;
};

/// What is said in menus stands in one context of translations, whichever file says it.
inline constexpr auto tr = &Menu::tr;

}  // namespace moorhaze::desktop
