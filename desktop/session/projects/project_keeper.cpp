// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/projects/project_keeper.h"

#include <QFile>
#include <QLockFile>

#include <algorithm>

#include "core/project/result_files.h"
#include "desktop/session/work/display_picture.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

constexpr int kAfterChange_ms = 2000, kTryAgain_ms = 5000;

std::filesystem::path lock_file(const std::filesystem::path& file) {
    return file.parent_path() / ".in-use";
}

/// What the list of projects shows: the newest result, or the middle frame.
void write_picture_of(const SavedProject& saved, const std::filesystem::path& folder, QImage picture) {
    const auto target = folder / "results" / "picture.png";
    std::error_code unknown;
    if (picture.isNull()) {
        if (saved.project.frames.empty() || std::filesystem::exists(target, unknown)) return;
        const ProjectFrame& middle = saved.project.frames[saved.project.frames.size() / 2];
        try {
            picture =
                image_of(to_display(read_thumbnail(middle.path, 160, saved.project.development), Job{}));
        } catch (const Error&) {
            return;
        }
    }
    std::filesystem::create_directories(target.parent_path(), unknown);
    picture.save(text(target.string()), "PNG");
}

}  // namespace

ProjectKeeper::ProjectKeeper(std::filesystem::path file, QObject* parent)
    : QObject(parent), file_(std::move(file)) {
    timer_.setSingleShot(true);
    connect(&timer_, &QTimer::timeout, this, [this] {
        forget_vanished();
        write_next();
        save();
    });
    for (LatestWish* wish : {&saving_, &writing_})
        connect(wish, &LatestWish::idle, this, &ProjectKeeper::go_on);
    lock();
}

ProjectKeeper::~ProjectKeeper() = default;

/// Where the folder is not there yet it is made with the first saving, and locked then.
bool ProjectKeeper::lock() {
    if (lock_) return true;
    std::error_code unknown;
    if (!std::filesystem::is_directory(file_.parent_path(), unknown)) return true;
    auto lock = std::make_unique<QLockFile>(text(lock_file(file_).string()));
    lock->setStaleLockTime(0);  // a lock is stale when its process is dead, however old it is
    if (lock->tryLock(0)) {
        lock_ = std::move(lock);
        return true;
    }
    qint64 process = 0;
    QString host, program;
    // A folder that cannot be written has no lock; saying so is up to saving.
    if (lock->error() != QLockFile::LockFailedError || !lock->getLockInfo(&process, &host, &program))
        return true;
    set_state(State::reading_only, tr("process %1 on %2").arg(process).arg(host));
    return false;
}

void ProjectKeeper::set_state(State state, const QString& why) {
    if (state_ == state && why_ == why) return;
    state_ = state;
    why_ = why;
    emit state_changed();
}

bool ProjectKeeper::is_idle() const {
    return !timer_.isActive() && !saving_.is_busy() && !writing_.is_busy() && !move_to_;
}

void ProjectKeeper::change(const SavedProject& now) {
    if (!now_)
        for (const ProjectResult& result : now.project.results) {
            named_.insert(result.id);
            if (has_result(file_.parent_path(), result.id)) written_.insert(result.id);
        }
    if (now_ && *now_ == now) return;
    const bool is_first = !now_;
    now_ = now;
    if (state_ == State::reading_only) return;
    changed_ = true;
    if (state_ == State::saved) set_state(State::waiting);
    // Not put off by further changes: what is lost in a crash is never older than this.
    if (!timer_.isActive())
        timer_.start(is_first ? 0 : state_ == State::failing ? kTryAgain_ms : kAfterChange_ms);
}

void ProjectKeeper::keep_result(ResultId id, const MergeProduct& product, const MadeFrom& from) {
    picture_ = product.thumb;
    pixels_[id] = {id, product, from};
    write_next();
}

std::string ProjectKeeper::write(const std::filesystem::path& folder, const Pixels& pixels, const Job& job) {
    return write_result(folder, pixels.id, *pixels.product.result, pixels.product.plane->geometry,
                        pixels.from, pixels.product.shooting, job);
}

std::optional<ResultId> ProjectKeeper::next_unwritten() const {
    for (const auto& [id, pixels] : pixels_)
        if (!written_.contains(id)) return id;
    return std::nullopt;
}

/// Somebody may have removed the folder or something in it: results are written once more.
void ProjectKeeper::forget_vanished() {
    std::erase_if(written_,
                  [&](ResultId id) { return pixels_.contains(id) && !has_result(file_.parent_path(), id); });
}

void ProjectKeeper::lock_again_if_vanished() {
    const QString file = text(lock_file(file_).string());
    if (!lock_ || QFile::exists(file)) return;
    QFile(file).open(QIODevice::WriteOnly);  // or unlocking would complain that there is none
    lock_.reset();
}

void ProjectKeeper::write_next() {
    const auto next = next_unwritten();
    if (!next || writing_.is_busy() || move_to_ || state_ == State::reading_only) return;
    writing_.want([folder = file_.parent_path(), pixels = pixels_.at(*next)](
                      const Job& job) { return std::pair(pixels.id, write(folder, pixels, job)); },
                  [this](const std::pair<ResultId, std::string>& written) {
                      written_.insert(written.first);
                      named_.insert(written.first);
                      if (!written.second.empty()) emit left_out(QString::fromStdString(written.second));
                      changed_ = true;
                      save();
                  },
                  [this](const std::exception& error) { went_wrong(QString::fromUtf8(error.what())); });
}

void ProjectKeeper::went_wrong(const QString& why) {
    changed_ = true;
    set_state(State::failing, why);
    gave_up_ = finishing_;
    if (!finishing_) timer_.start(kTryAgain_ms);
}

/// What the file may name: results whose pixels are on disc, or were so once. Strokes on one whose pixels
/// somebody removed are not lost with them.
SavedProject ProjectKeeper::nameable() const {
    SavedProject own = *now_;
    std::vector<int> places;
    for (int i = 0; i < own.project.results.size(); ++i)
        if (named_.contains(own.project.results[i].id)) places.push_back(i);
    if (int(places.size()) != own.project.results.size())
        own.project.results = own.project.results.picked(places);
    return own;
}

void ProjectKeeper::save() {
    if (!changed_ || !now_ || move_to_ || state_ == State::reading_only) return;
    timer_.stop();
    changed_ = false;
    saving_.want(
        [file = file_, own = nameable(), picture = picture_](const Job&) {
            save_project(file, own);
            write_picture_of(own, file.parent_path(), picture);
            return 0;
        },
        [this](int) {
            picture_ = {};
            lock_again_if_vanished();
            if (!lock()) return;
            if (!next_unwritten()) set_state(changed_ ? State::waiting : State::saved);
        },
        [this](const std::exception& error) { went_wrong(QString::fromUtf8(error.what())); });
}

/// Whatever was under way has ended.
void ProjectKeeper::go_on() {
    if (saving_.is_busy() || writing_.is_busy()) return;
    if (move_to_ && !is_moving_) {
        lock_.reset();
        is_moving_ = true;
        writing_.want(
            [from = file_, to = *move_to_](const Job& job) {
                move_project(from, to, job);
                return 0;
            },
            [this](int) {
                is_moving_ = false;
                file_ = *std::exchange(move_to_, std::nullopt);
                lock();
                changed_ = true;  // paths are relative to the new place
                save();
                emit moved();
            },
            [this](const std::exception& error) {
                is_moving_ = false;
                move_to_.reset();
                lock();
                emit failed_to_move(QString::fromUtf8(error.what()));
            });
        return;
    }
    if (finishing_ ? !gave_up_ : state_ != State::failing) write_next();
    if (finishing_ && !gave_up_) save();
    if (!finishing_ || saving_.is_busy() || writing_.is_busy()) return;
    remove_or_tidy();
    emit finished();
}

void ProjectKeeper::move_to(const std::filesystem::path& to) {
    if (move_to_)
        return emit failed_to_move(
            tr("It is being kept in %1 already; try again when that is done.").arg(text(move_to_->string())));
    move_to_ = to;
    timer_.stop();
    go_on();
}

void ProjectKeeper::write_now() {
    if (state_ == State::reading_only) return;
    forget_vanished();
    write_next();
    save();
}

void ProjectKeeper::finish(bool is_worth_it) {
    finishing_ = true;
    is_worth_it_ = is_worth_it;
    timer_.stop();
    go_on();
}

void ProjectKeeper::finish_and_wait(bool is_worth_it) {
    is_worth_it_ = is_worth_it;
    timer_.stop();
    for (LatestWish* wish : {&saving_, &writing_}) wish->drop_and_wait();
    // Its answer does not come any more: the project lies where it was moved to, or where it was.
    std::error_code unknown;
    if (is_moving_ && !std::filesystem::exists(file_, unknown) && std::filesystem::exists(*move_to_, unknown))
        file_ = *move_to_;
    move_to_.reset();
    if (state_ == State::reading_only || !now_) return;
    try {
        if (is_worth_it) {
            // The one that was being written may not have come to its end.
            while (const auto next = next_unwritten()) {
                if (const std::string unsaid = write(file_.parent_path(), pixels_.at(*next), {});
                    !unsaid.empty())
                    emit left_out(QString::fromStdString(unsaid));
                written_.insert(*next);
                named_.insert(*next);
            }
            save_project(file_, nameable());
            write_picture_of(*now_, file_.parent_path(), picture_);
        }
        remove_or_tidy();
    } catch (const Error& error) {
        set_state(State::failing, QString::fromUtf8(error.what()));
    }
}

void ProjectKeeper::remove_or_tidy() {
    if (state_ == State::reading_only || !now_) return;
    std::error_code ignored;
    if (!is_worth_it_) {
        lock_.reset();
        std::filesystem::remove_all(file_.parent_path(), ignored);
        return;
    }
    // Undo is over: results that were dropped are not wanted again.
    std::vector<ResultId> wanted;
    for (const ProjectResult& result : now_->project.results) wanted.push_back(result.id);
    if (state_ != State::failing) keep_only_results(file_.parent_path(), wanted);
}

}  // namespace moorhaze::desktop
