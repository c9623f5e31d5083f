#include "desktop/session/exporter.h"

#include <QDir>
#include <QFileInfo>

namespace moorhaze::desktop {

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

Exporter::Exporter(Session& session, Mend& mend, QObject* parent)
    : QObject(parent), session_(session), mend_(mend) {}

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
    const Result* result = session_.result();
    if (!result || !mend_.is_settled()) {
        session_.tell(
            result ? QStringLiteral("The last stroke is still being rendered; export again in a moment.")
                   : QStringLiteral("There is no picture to export yet: merge first (Ctrl+Return)."),
            true);
        return;
    }
    if (!overwrite && QFileInfo::exists(name)) {
        emit exists_already(name);
        return;
    }
    WriteSettings write = kind.write;
    write.jpeg_quality = jpeg_quality;
    write.overwrite = overwrite;
    write.made_with = QStringLiteral("Moorhaze %1 merge, %2, %3 strokes")
                          .arg(QString::fromStdString(result->merge->method), result->settings_text)
                          .arg(result->strokes.size())
                          .replace(QStringLiteral("·"), QStringLiteral(","))
                          .toStdString();
    const ShootingData shooting =
        session_.series().frames[std::size_t(result->geometry.reference)].info.shooting;
    session_.jobs().start(
        QStringLiteral("export"),
        [picture = mend_.picture(), shooting, write,
         path = std::filesystem::path(name.toStdString())](const Job& job) {
            write_picture(path, picture, shooting, write, job);
            return qint64(std::filesystem::file_size(path));
        },
        [this, name, id = result->id, strokes = result->strokes](qint64 bytes) {
            // Painted on meanwhile: what was saved is no longer what there is.
            if (const Result* now = session_.result_with(id); now && now->strokes == strokes)
                session_.mark_saved(id);
            emit saved(name, bytes);
        });
}

}  // namespace moorhaze::desktop
