// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/sets/set_list.h"

#include <QDir>
#include <QStandardPaths>
#include <algorithm>

#include "core/project/edits.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

SetList::SetList(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.card || changes.series) take_card();
        if (changes.set) emit ticks_changed();
    });
}

bool SetList::is_ticked(int place) const {
    return moorhaze::is_ticked(base_.document.project().set, series(place).frames.front().path);
}

void SetList::set_ticked(int place, bool ticked) {
    const Project& project = base_.document.project();
    base_.document.edit(ticked ? tr("tick a series") : tr("untick a series"),
                        with_set(project, with_tick(project.set, series(place).frames.front().path, ticked)));
}

int SetList::ticked() const {
    int count = 0;
    for (int place = 0; place < this->count(); ++place) count += is_ticked(place);
    return count;
}

int SetList::made() const {
    return int(std::count_if(entries_.begin(), entries_.end(),
                             [](const SetEntry& own) { return own.record.is_made(); }));
}

bool SetList::are_views() const {
    return std::all_of(entries_.begin(), entries_.end(), [](const SetEntry& own) {
        const std::string& name = own.record.name;
        return name.starts_with("view") && std::isdigit(static_cast<unsigned char>(name.back()));
    });
}

/// A series of the list was opened, to be looked at: from its card, alone, or as the project that was kept of
/// it.
bool SetList::is_of_list(const Project& project) const {
    if (project.frames.empty() || (project.card.size() > 1 && project.card.size() != count())) return false;
    return std::any_of(series_.begin(), series_.end(), [&](const SetSeries& own) {
        return std::any_of(own.frames.begin(), own.frames.end(),
                           [&](const Frame& frame) { return frame.path == project.frames[0].path; });
    });
}

void SetList::take_card() {
    // While it is worked on, or a person looks at one of its series, the list is theirs.
    const Project& project = base_.document.project();
    const bool is_theirs = is_of_list(project);
    card_waits_ = is_held_ && !is_theirs;
    if (is_held_ || is_theirs) return;
    entries_.clear();
    series_.clear();
    const auto append_own = [&](const CardSeries& own) {
        append({own.name, count() + 1, own.reason, frames_of(own, base_.document.facts())});
    };
    for (const CardSeries& own : project.card)
        if (!own.frames.empty()) append_own(own);
    if (entries_.empty() && !project.frames.empty()) append_own({project.name, {}, project.frames});
    emit list_changed();
}

void SetList::release() {
    is_held_ = false;
    if (card_waits_) take_card();
}

void SetList::clear() {
    entries_.clear();
    series_.clear();
    emit list_changed();
}

void SetList::add(const std::vector<SetSeries>& found) {
    for (const SetSeries& series : found) append(series);
    emit list_changed();
}

void SetList::append(SetSeries series) {
    SetEntry entry;
    entry.name = text(series.name);
    entry.frames = int(series.frames.size());
    entry.record.name = series.name;
    entry.record.number = series.number;
    entry.record.frames = entry.frames;
    entry.middle = series.frames[series.frames.size() / 2];
    entries_.push_back(std::move(entry));
    series_.push_back(std::move(series));
}

void SetList::set_step(int place, const QString& step) {
    if (place < 0 || place >= count()) return;
    SetEntry& own = entries_[std::size_t(place)];
    if (own.record.is_made() || own.step == step) return;
    own.step = step;
    emit entry_changed(place);
}

void SetList::clear_steps() {
    for (SetEntry& own : entries_) own.step.clear();
    emit list_changed();
}

bool SetList::set_record(int place, const SeriesRecord& record) {
    if (place < 0 || place >= count() || entries_[std::size_t(place)].record.name != record.name)
        return false;
    SetEntry& own = entries_[std::size_t(place)];
    own.step.clear();
    own.record = record;
    emit entry_changed(place);
    return true;
}

int SetList::place_on_card(int place) const {
    const SharedList<CardSeries>& card = base_.document.project().card;
    const int found = card.find([&](const CardSeries& own) {
        return !own.frames.empty() && own.frames[0].path == series(place).frames.front().path;
    });
    return found < card.size() ? found : -1;
}

std::vector<std::filesystem::path> SetList::files_of_series(int place) const {
    std::vector<std::filesystem::path> files;
    for (const Frame& frame : series(place).frames) files.push_back(frame.path);
    return files;
}

QString SetList::suggested_out() const {
    if (series_.empty()) return {};
    const QDir pictures(QStandardPaths::writableLocation(QStandardPaths::PicturesLocation));
    const auto folder = series_.front().frames.front().path.parent_path();
    const auto own = count() > 1 ? folder.parent_path() : folder;
    return pictures.filePath(text(own.filename().string()) + QStringLiteral("-finished"));
}

}  // namespace moorhaze::desktop
