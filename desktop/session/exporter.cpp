#include "desktop/session/exporter.h"

#include <QDir>
#include <QFileInfo>

#include "core/mend/mended.h"
#include "core/mend/painted_mask.h"
#include "core/project/words.h"

namespace moorhaze::desktop {
namespace {

const QString kExport = QStringLiteral("export");

}  // namespace

const std::vector<ExportKind>& export_kinds() {
    static const std::vector<ExportKind> kinds = [] {
        std::vector<ExportKind> list(5);
        list[0] = {QStringLiteral("TIFF, 16 bit"), QStringLiteral(".tif"), {}};
        list[1] = {QStringLiteral("TIFF, 8 bit"), QStringLiteral(".tif"), {}};
        list[1].write.bits = 8;
        list[2] = {QStringLiteral("JPEG"), QStringLiteral(".jpg"), {}};
        list[2].write.format = FileFormat::jpeg;
        list[2].write.bits = 8;
        list[3] = {QStringLiteral("PNG, 16 bit"), QStringLiteral(".png"), {}};
        list[3].write.format = FileFormat::png;
        list[4] = {QStringLiteral("PNG, 8 bit"), QStringLiteral(".png"), {}};
        list[4].write.format = FileFormat::png;
        list[4].write.bits = 8;
        return list;
    }();
    return kinds;
}

Exporter::Exporter(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.jobs, &JobRunner::failed, this, [this](const QString& title, const QString& why) {
        if (title == kExport) emit failed(why);
    });
}

QString Exporter::free_name(const QString& file) {
    const QFileInfo info(file);
    QString free = file;
    for (int number = 2; QFileInfo::exists(free); ++number)
        free = info.dir().filePath(
            QStringLiteral("%1-%2.%3").arg(info.completeBaseName()).arg(number).arg(info.suffix()));
    return free;
}

void Exporter::save(const QString& file, const ExportKind& kind, int jpeg_quality, bool overwrite) {
    QString name = file;
    const bool has_ending = name.endsWith(kind.ending, Qt::CaseInsensitive) ||
                            (kind.ending == ".tif" && name.endsWith(".tiff", Qt::CaseInsensitive)) ||
                            (kind.ending == ".jpg" && name.endsWith(".jpeg", Qt::CaseInsensitive));
    if (!has_ending) name += kind.ending;
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    if (!product) {
        const QString why = tr("There is no picture to export yet: merge first (Ctrl+Return).");
        base_.notices.notify_error(why);
        emit failed(why);
        return;
    }
    if (!overwrite && QFileInfo::exists(name)) {
        emit exists_already(name);
        return;
    }
    WriteSettings write = kind.write;
    write.jpeg_quality = jpeg_quality;
    write.overwrite = overwrite;
    write.made_with = made_with(*result);
    base_.jobs.start(
        kExport,
        [product = *product, strokes = result->strokes, sources = base_.products.sources(),
         results = base_.products.result_sources(result->strokes, product->plane), write,
         path = std::filesystem::path(name.toStdString())](const Job& job) {
            const Picture picture =
                strokes.empty() ? product.result->picture
                                : mended(*product.result, strokes, {*sources->of(product.plane), results},
                                         product.result->area, job.part(0, 0.4));
            write_picture(path, picture, product.shooting, write, job.part(0.4, 1));
            return qint64(std::filesystem::file_size(path));
        },
        [this, name, id = result->id, strokes = result->strokes,
         serial = base_.document.serial()](qint64 bytes) {
            if (serial == base_.document.serial())
                base_.document.happened([&](const Project& own) { return with_saved(own, id, strokes); });
            emit saved(name, bytes);
        });
}

void Exporter::save_mask(const QString& file) {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    if (!product || result->strokes.empty())
        return base_.notices.notify_error(tr("Nothing is painted yet: there is no mask to save."));
    const QString name =
        file.endsWith(QStringLiteral(".png"), Qt::CaseInsensitive) ? file : file + QStringLiteral(".png");
    base_.jobs.start(
        tr("mask"),
        [product = *product, strokes = result->strokes,
         path = std::filesystem::path(name.toStdString())](const Job& job) {
            const MergePlanes planes = planes_of(*product.result, product.plane->series);
            write_picture(path, painted_mask(strokes, planes, job), {}, mask_writing(true), job);
            return true;
        },
        [this, name](bool) { base_.notices.notify(tr("Saved as %1.").arg(QFileInfo(name).fileName())); });
}

}  // namespace moorhaze::desktop
