// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/bring_in.h"

#include "core/files/picture_file.h"
#include "core/mend/laid_over.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

QString BringIn::why_not() const {
    const ProjectResult* result = base_.standpoint.result();
    if (!result) return tr("Nothing is merged yet (Ctrl+Return).");
    return base_.products.merge(result->id) ? QString()
                                            : tr("%1 is still being read.").arg(text(result->title));
}

void BringIn::bring_in(const QString& file) {
    if (const QString why = why_not(); !why.isEmpty()) return base_.notices.notify_error(why);
    const ProjectResult over = *base_.standpoint.result();
    const std::filesystem::path path = file.toStdString();
    base_.jobs.start(
        tr("bring in"),
        [path, product = *base_.products.merge(over.id)](const Job& job) {
            const Picture outside = read_picture(path, {}, job.part(0, 0.3));
            const Frame& reference =
                product.plane->series.frames[std::size_t(product.plane->geometry.reference)];
            try {
                LaidOver laid = laid_over(outside, *product.result,
                                          {reference.info.width, reference.info.height}, job.part(0.3, 1));
                const QImage thumb = thumb_of(laid.result.picture);
                const ShelvedResult shelved = shelve(std::move(laid.result), scratch_folder());
                return Brought{{shelved.result, product.plane, thumb, product.shooting, shelved.file},
                               laid.moved_px};
            } catch (const BadParameter& error) {
                throw FileError(path.string() + ": " + error.what());
            }
        },
        [this, over, name = path.filename().string()](const Brought& brought) { take(over, name, brought); });
}

void BringIn::take(const ProjectResult& over, const std::string& name, const Brought& brought) {
    ProjectResult result;
    result.id = base_.document.next_result_id();
    result.title = std::filesystem::path(name).stem().string();
    result.made_from = over.made_from;
    result.made_from.brought_in = name;
    // Its file lies outside: closing loses nothing.
    result.saved_strokes = SharedList<Stroke>();
    base_.products.keep_merge(result.id, brought.product);
    base_.document.happened([&](const Project& own) { return with_result(own, result); });
    base_.standpoint.set_source_result(result.id);
    base_.notices.notify(
        brought.moved_px > 0
            ? tr("%1 was laid over the merge, moved by %2 px at most. It is what is drawn in from.")
                  .arg(text(result.title))
                  .arg(brought.moved_px, 0, 'f', 1)
            : tr("%1 fits the merge as it is. It is what is drawn in from.").arg(text(result.title)));
}

}  // namespace moorhaze::desktop
