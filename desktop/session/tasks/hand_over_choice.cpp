// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/hand_over_choice.h"

#include <QDir>
#include <QStandardPaths>

#include "core/finish/articles.h"
#include "core/project/edits.h"
#include "desktop/session/tasks/exporter.h"

namespace moorhaze::desktop {

void HandOverChoice::change(const QString& what, const std::function<void(HandOver&)>& change,
                            const QString& join) {
    HandOver to = own();
    try {
        change(to);
        base_.document.edit(what, with_hand_over(base_.document.project(), to), join);
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void HandOverChoice::change_output(int place, const QString& what,
                                   const std::function<void(Output&)>& change_one, const QString& join) {
    change(
        what,
        [&](HandOver& all) {
            if (all.outputs.empty()) all.outputs.push_back({});
            if (place < int(all.outputs.size())) change_one(all.outputs[std::size_t(place)]);
        },
        join.isEmpty() ? join : QStringLiteral("%1 %2").arg(join).arg(place));
}

void HandOverChoice::add_like(int place) {
    Output more = place < count() ? own().outputs[std::size_t(place)] : Output{};
    more = with_kind(more, export_kinds()[2]);
    more.size = {SizeWish::long_side, 1500, 300};
    more.profile = ProfileWish::srgb;
    more.name += "-{size}";
    change(tr("add a file"), [&](HandOver& all) { all.outputs.push_back(more); });
}

void HandOverChoice::remove(int place) {
    if (place >= count() || count() <= 1) return;
    change(tr("remove a file"), [place](HandOver& all) { all.outputs.erase(all.outputs.begin() + place); });
}

void HandOverChoice::set_off(int place, bool off) {
    change_output(place, off ? tr("switch a file off") : tr("switch a file on"),
                  [off](Output& own) { own.is_off = off; });
}

/// @param probe    reads the file in another thread; throws an Error for what it is not.
/// @param take_it  called where it is, and the document is still the one it was chosen for.
void HandOverChoice::take(const QString& file, const std::function<void()>& probe,
                          const std::function<void()>& take_it) {
    reading_.want(
        [probe](const Job&) {
            probe();
            return true;
        },
        [this, file, take_it, asked_in = base_.document.id()](bool) {
            if (asked_in == base_.document.id()) return take_it();
            base_.notices.notify(tr("%1 was chosen for a series that is no longer open.").arg(file));
        },
        [this](const std::exception& error) {
            base_.notices.notify_error(QString::fromUtf8(error.what()));
            emit refused();
        });
}

void HandOverChoice::take_articles(const QString& file) {
    const std::filesystem::path list = file.toStdString();
    take(
        file, [list] { read_articles(list); },
        [this, list] {
            change(tr("take article numbers from a list"), [&](HandOver& all) {
                all.article_list = list;
                all.article.clear();
            });
        });
}

void HandOverChoice::take_profile(int place, const QString& file) {
    Output with;
    with.profile = ProfileWish::file;
    with.profile_file = file.toStdString();
    take(
        file, [with] { profile_of_output(with, {}); },
        [this, with, place] {
            change_output(place, tr("set the colours"), [&](Output& own) {
                own.profile = with.profile;
                own.profile_file = with.profile_file;
            });
        });
}

QString HandOverChoice::usual_folder() {
    const QString pictures = QStandardPaths::writableLocation(QStandardPaths::PicturesLocation);
    return pictures.isEmpty() || !QDir(pictures).exists() ? QDir::homePath() : pictures;
}

}  // namespace moorhaze::desktop
