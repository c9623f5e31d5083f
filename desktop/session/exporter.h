#pragma once
#include <QObject>

#include "desktop/session/session_base.h"

namespace moorhaze::desktop {

/// A kind of file that a picture can leave as.
struct ExportKind {
    QString title;
    QString ending;  ///< with the dot
    WriteSettings write;
};
const std::vector<ExportKind>& export_kinds();

/// Saves the result shown with what was painted on it. Never replaces a file unless asked to. The picture is
/// composed beside the interface; what is painted meanwhile is not in it, and the result counts as not saved
/// then.
class Exporter : public QObject {
    Q_OBJECT
  public:
    explicit Exporter(SessionBase& base, QObject* parent = nullptr);

    /// @param file  its ending is completed if it is missing.
    void save(const QString& file, const ExportKind& kind, int jpeg_quality, bool overwrite);
    /// What was painted on the result shown, as a mask of its size; replaces a file of that name.
    void save_mask(const QString& file);
    /// `name`, or the first of `name-2`, `name-3`, ... that does not exist.
    static QString free_name(const QString& file);

  signals:
    void saved(QString file, qint64 bytes);
    void failed(QString why);
    void exists_already(QString file);

  private:
    SessionBase& base_;
};

}  // namespace moorhaze::desktop
