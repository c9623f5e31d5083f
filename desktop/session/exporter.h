#pragma once
#include <QObject>

#include "desktop/session/mend.h"

namespace moorhaze::desktop {

/// A kind of file that a picture can leave as.
struct ExportKind {
    QString title;
    QString ending;  ///< with the dot
    WriteSettings write;
};
const std::vector<ExportKind>& export_kinds();

/// Saves the mended result. Never replaces a file unless told to.
class Exporter : public QObject {
    Q_OBJECT
  public:
    Exporter(Session& session, Mend& mend, QObject* parent = nullptr);

    /// @param file  its ending is completed if it is missing.
    void save(const QString& file, const ExportKind& kind, int jpeg_quality, bool overwrite);
    /// `name`, or the first of `name-2`, `name-3`, ... that does not exist.
    static QString free_name(const QString& file);

  signals:
    void saved(QString file, qint64 bytes);
    void exists_already(QString file);

  private:
    Session& session_;
    Mend& mend_;
};

}  // namespace moorhaze::desktop
