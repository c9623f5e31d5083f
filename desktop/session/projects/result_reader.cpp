// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/projects/result_reader.h"

#include <algorithm>

#include "core/project/result_files.h"
#include "core/project/result_series.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

ResultReader::ResultReader(SessionBase& base, QObject* parent)
    : QObject(parent), base_(base), wish_(LatestWish::Replaced::stops) {
    connect(&base_.document, &Document::changed, this, &ResultReader::follow);
    connect(&wish_, &LatestWish::idle, this, &ResultReader::next);
}

bool ResultReader::is_to_come(ResultId result) const {
    return under_way_ == result || std::find(unread_.begin(), unread_.end(), result) != unread_.end();
}

void ResultReader::follow(const Changes& changes) {
    if (!changes.series) return;
    wish_.drop();
    under_way_.reset();
    unread_.clear();
    folder_ = base_.document.file().parent_path();
    if (folder_.empty()) return;
    for (const ProjectResult& result : base_.document.project().results)
        if (!base_.products.merge(result.id)) unread_.push_back(result.id);
    next();
}

void ResultReader::next() {
    if (wish_.is_busy() || unread_.empty()) return;
    const ProjectResult* shown = base_.standpoint.result();
    auto place = unread_.end() - 1;  // the newest, most likely what comes next
    // What others were painted from comes first: they cannot be shown without it.
    const auto is_painted_from = [this](ResultId id) {
        const auto& results = base_.document.project().results;
        return std::any_of(results.begin(), results.end(), [id](const ProjectResult& other) {
            return std::any_of(other.strokes.begin(), other.strokes.end(),
                               [id](const Stroke& stroke) { return stroke.source == StrokeSource(id); });
        });
    };
    if (const auto source = std::find_if(unread_.begin(), unread_.end(), is_painted_from);
        source != unread_.end())
        place = source;
    else if (shown)
        if (const auto own = std::find(unread_.begin(), unread_.end(), shown->id); own != unread_.end())
            place = own;
    const ResultId id = *place;
    unread_.erase(place);
    const ProjectResult* result = find_result(base_.document.project(), id);
    if (!result) return next();
    under_way_ = id;
    wish_.want(
        [folder = folder_, own = *result, project = base_.document.project(),
         facts = base_.document.facts()](const Job& job) {
            const Series series = series_of_result(project, facts, own);
            StoredResult stored = read_result(folder, own, job);
            const QImage thumb = thumb_of(stored.result.picture);
            const auto plane = std::make_shared<const Plane>(Plane{series, std::move(stored.geometry)});
            ShelvedResult shelved = shelve(std::move(stored.result), scratch_folder());
            shelved.rest();
            return MergeProduct{shelved.result, plane, thumb, stored.shooting, shelved.file};
        },
        [this, id, from = result->made_from](MergeProduct product) {
            under_way_.reset();
            // Results that lie in one plane share it: they are compared without warping anything anew.
            for (const ProjectResult& other : base_.document.project().results) {
                const MergeProduct* known = base_.products.merge(other.id);
                if (known && other.made_from.align == from.align &&
                    known->plane->geometry == product.plane->geometry)
                    product.plane = known->plane;
            }
            base_.products.keep_plane_of(from.align, product.plane);
            base_.products.keep_merge(id, product);
        },
        [this](const std::exception& error) {
            under_way_.reset();
            base_.notices.notify_error(QString::fromUtf8(error.what()));
        });
}

}  // namespace moorhaze::desktop
