// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/projects/opening.h"

#include "desktop/session/projects/standing.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

const QString kOpen = QStringLiteral("open");

struct Opened {
    OpenedCard card;
    OpenedSeries first;
    std::optional<std::filesystem::path> project;  ///< that the first one has already
};

QStringList sentences(const std::vector<std::string>& lines) {
    QStringList list;
    for (const auto& line : lines) list << text(line);
    return list;
}

FrameFacts facts_of(const std::vector<FoundSeries>& card) {
    FrameFacts facts;
    for (const FoundSeries& series : card)
        for (const Frame& frame : series.frames) facts[frame.id] = frame.info;
    return facts;
}

}  // namespace

Opening::Opening(SessionBase& base, Looking& looking, Autosave& autosave, QObject* parent)
    : QObject(parent), base_(base), looking_(looking), autosave_(autosave) {
    // What was interrupted for nothing goes on.
    auto ended = [this](const QString& title) {
        if (title == kOpen) looking_.start();
    };
    connect(&base_.jobs, &JobRunner::failed, this, ended);
    connect(&base_.jobs, &JobRunner::cancelled, this, ended);
}

void Opening::open(const std::vector<std::filesystem::path>& files_or_folder, Known known) {
    autosave_.forget_waiting();
    if (files_or_folder.size() == 1 && is_project(files_or_folder[0])) {
        const auto file = std::filesystem::absolute(project_file(files_or_folder[0])).lexically_normal();
        if (file == base_.document.file())
            return base_.notices.notify(tr("%1 is open already.").arg(text(file.filename().string())));
        return autosave_.when_written(file, [this, file] { open_project(file); });
    }
    base_.jobs.cancel();
    base_.jobs.start(
        kOpen,
        [files_or_folder,
         projects = known == Known::goes_on ? autosave_.known_projects() : KnownProjects()](const Job& job) {
            OpenedCard card = open_card(files_or_folder, job);
            OpenedSeries first = make_series(card.series[0].frames);
            const auto project = project_of_frames(card.series[0].frames, projects.files(), job);
            return Opened{std::move(card), std::move(first), project};
        },
        [this](const Opened& opened) {
            if (opened.project) return go_on_with(*opened.project);
            const std::size_t found = opened.card.series.size();
            show(opened.first, card_of(opened.card.series), 0, facts_of(opened.card.series),
                 sentences(opened.card.problems) + sentences(opened.card.notes),
                 !opened.card.problems.empty());
            if (found > 1)
                base_.notices.notify(
                    tr("%1 series were found; the first is open, the others are listed in Plan.").arg(found));
            base_.standpoint.set_stage(found > 1 ? Stage::plan : Stage::cull);
        });
}

void Opening::open_project(const std::filesystem::path& file) {
    struct Outcome {
        std::optional<OpenedProject> opened;
        std::string damage;
    };
    base_.jobs.cancel();
    base_.jobs.start(
        kOpen,
        [file](const Job& job) -> Outcome {
            try {
                return {moorhaze::open_project(file, job), {}};
            } catch (const DamagedProject& error) {
                std::error_code unknown;
                if (!std::filesystem::exists(last_good(file), unknown)) throw;
                return {{}, error.what()};
            }
        },
        [this, file](const Outcome& outcome) {
            if (!outcome.opened) return emit damaged(text(file.string()), text(outcome.damage));
            const OpenedProject& opened = *outcome.opened;
            const Project project = with_set_of(opened.saved.project, base_.document.project());
            problems_.clear();
            base_.document.replace(project, opened.facts, file);
            stand(base_.standpoint, opened.saved.standing);
            if (opened.missing.empty()) return;
            problems_ << tr("%1 of %2 frames are not where they were (%3). Show Moorhaze the folder they are "
                            "in now: Series, Find the frames. What does not need them works without.")
                             .arg(opened.missing.size())
                             .arg(project.frames.size())
                             .arg(text(names_in_words(project, opened.missing)));
            base_.notices.notify_error(problems_.back());
        });
}

void Opening::show(const OpenedSeries& opened, const SharedList<CardSeries>& card, std::optional<int> place,
                   const FrameFacts& card_facts, QStringList earlier, bool trouble) {
    problems_ = earlier + sentences(opened.problems) + sentences(opened.notes);
    FrameFacts facts = card_facts;
    // Made into a series, frames may be turned.
    for (const auto& [frame, info] : moorhaze::facts_of(opened.series)) facts.insert_or_assign(frame, info);
    base_.document.replace(with_series(base_.document.project(), opened.series, card, place), facts);
    if (problems_.empty()) return;
    const QString words = problems_.size() == 1
                              ? problems_[0]
                              : tr("%1 (and %2 more, see Plan)").arg(problems_[0]).arg(problems_.size() - 1);
    trouble || !opened.problems.empty() ? base_.notices.notify_error(words) : base_.notices.notify(words);
}

/// Where it is open here already, or its writing is not done, that is waited for.
void Opening::go_on_with(const std::filesystem::path& file) {
    if (file == base_.document.file())
        return base_.notices.notify(tr("%1 is open already.").arg(text(file.stem().string())));
    autosave_.when_written(file, [this, file] {
        open_project(file);
        base_.jobs.decide([this, file] {
            if (base_.document.file() == file)
                base_.notices.notify(tr("%1 goes on where it was left. To begin anew: Series, Begin anew.")
                                         .arg(text(file.stem().string())));
        });
    });
}

void Opening::open_from_card(int place, Known known) {
    const Project& project = base_.document.project();
    if (place < 0 || place >= project.card.size()) return;
    autosave_.forget_waiting();
    base_.jobs.cancel();
    const SharedList<CardSeries> card = project.card;
    const FrameFacts facts = base_.document.facts();
    const std::vector<Frame> frames = frames_of(card[place], facts);
    if (known == Known::begins_anew || autosave_.folder().empty())
        return show(make_series(frames), card, place, facts, {}, false);
    base_.jobs.start(
        kOpen,
        [frames, projects = autosave_.known_projects()](const Job& job) {
            return std::pair(make_series(frames), project_of_frames(frames, projects.files(), job));
        },
        [this, card, place,
         facts](const std::pair<OpenedSeries, std::optional<std::filesystem::path>>& found) {
            found.second ? go_on_with(*found.second) : show(found.first, card, place, facts, {}, false);
        });
}

void Opening::begin_anew() {
    const Project& project = base_.document.project();
    if (project.card_place) return open_from_card(*project.card_place, Known::begins_anew);
    std::vector<std::filesystem::path> files;
    for (const ProjectFrame& frame : project.frames) files.push_back(frame.path);
    if (!files.empty()) open(files, Known::begins_anew);
}

void Opening::close_series() {
    autosave_.forget_waiting();
    base_.jobs.cancel();
    problems_.clear();
    base_.document.replace(with_set_of({}, base_.document.project()), {});
    base_.standpoint.set_stage(Stage::plan);
}

void Opening::recut(const QString& what, const SharedList<CardSeries>& card) {
    const Project& project = base_.document.project();
    const OpenedSeries opened = make_series(frames_of(card[*project.card_place], base_.document.facts()));
    problems_ = sentences(opened.problems) + sentences(opened.notes);
    base_.document.edit(what, with_series(project, opened.series, card, project.card_place), {},
                        moorhaze::facts_of(opened.series));
}

void Opening::cut_here() {
    const auto frame = base_.standpoint.frame();
    try {
        if (frame) recut(tr("cut the series"), cut_before(base_.document.project(), *frame));
    } catch (const BadParameter&) {
        base_.notices.notify_error(tr(
            "A series is cut before one of its frames, but the first: show the frame that the second series "
            "shall begin with."));
    }
}

void Opening::join_with_next() {
    try {
        recut(tr("join the series"), joined_with_next(base_.document.project()));
    } catch (const BadParameter&) {
        base_.notices.notify_error(tr("There is no next series to join with."));
    }
}

void Opening::develop(const Development& development) {
    base_.document.edit(tr("development"), with_development(base_.document.project(), development));
}

void Opening::begin_series(const QString& name) {
    autosave_.forget_waiting();
    base_.jobs.cancel();
    problems_.clear();
    Series series;
    series.name = name.toStdString();
    base_.document.replace(with_series(base_.document.project(), series, {}, std::nullopt), {});
}

bool Opening::add_frame(const Frame& frame, const FocusProfile& profile, const SeriesProfile& whole) {
    const Series& series = base_.document.series();
    if (base_.document.has_series() && cv::Size(frame.info.width, frame.info.height) != series.size()) {
        base_.notices.notify_error(tr("%1 has another size than the frames before and was left out.")
                                       .arg(text(frame.path.filename().string())));
        return false;
    }
    const ProjectFrame own{base_.document.next_frame_id(), frame.path, {}, 0, true};
    keep_grown_look(with_frame_added(base_.document.project(), own), std::nullopt, profile, whole);
    base_.document.happened([&](const Project& project) { return with_frame_added(project, own); },
                            {{own.id, frame.info}});
    base_.standpoint.set_frame(own.id);
    return true;
}

void Opening::frame_changed(int place, const PictureInfo& info, const FocusProfile& profile,
                            const SeriesProfile& whole) {
    if (place < 0 || place >= base_.document.series().count()) return;
    const FrameId frame = base_.document.id_at(place);
    keep_grown_look(with_frame_shot_again(base_.document.project(), frame), place, profile, whole);
    base_.document.happened([&](const Project& project) { return with_frame_shot_again(project, frame); },
                            {{frame, info}});
}

/// What is known when a frame more is there: kept before the document changes, so that nothing is looked at
/// again.
void Opening::keep_grown_look(Project then, std::optional<int> replaced, const FocusProfile& profile,
                              const SeriesProfile& whole) {
    const Looked* before = base_.products.looked();
    Looked looked;
    if (before) looked.profiles = before->profiles;
    if (replaced && *replaced < int(looked.profiles.size()))
        looked.profiles[std::size_t(*replaced)] = profile;
    else
        looked.profiles.push_back(profile);
    looked.whole = whole;
    if (int(looked.profiles.size()) == then.frames.size())
        base_.products.keep_look(look_inputs(then), looked);
}

}  // namespace moorhaze::desktop
