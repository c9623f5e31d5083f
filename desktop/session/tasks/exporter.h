// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QStringList>

#include "core/project/handed_picture.h"
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// A kind of file that a picture can leave as, for lists to choose from.
struct ExportKind {
    QString title;
    FileFormat format;
    int bits;
    int quality;  ///< where the kind says it (a lossless one); else 0
};
const std::vector<ExportKind>& export_kinds();
/// The place of an output's kind in the list.
int kind_of(const Output& output);
Output with_kind(Output output, const ExportKind& kind);

/// What became of one file.
struct ExportOutcome {
    QString file;
    qint64 bytes = 0;
    QString problem;  ///< in words; empty: it is there
    QString remark;   ///< what the file does not say though it should; mostly empty
};

/// Hands the result shown over: with what was painted on it, finished, as each of the project's outputs. The
/// files are made beside the interface, one after the other; where one fails, the others are still made.
/// Never replaces a file unless asked to. What is painted or changed meanwhile is not in them, and the result
/// counts as not handed over then.
class Exporter : public QObject {
    Q_OBJECT
  public:
    explicit Exporter(SessionBase& base, QObject* parent = nullptr);

    enum class Existing { ask, replace, new_name };

    /// All outputs that are on, into a folder.
    void hand_over(const QString& folder, Existing existing);
    /// One file, whatever the project's outputs are.
    /// @param file  its ending is completed if it is missing.
    void save(const QString& file, const Output& output, bool overwrite);
    /// What was painted on the result shown, as a mask of its size; replaces a file of that name.
    void save_mask(const QString& file);

  signals:
    void saved(QString file, qint64 bytes);
    void failed(QString why);
    void exist_already(QStringList files);
    /// All files were tried.
    void handed_over(const std::vector<moorhaze::desktop::ExportOutcome>& outcomes);

  private:
    void refuse(const QString& why);
    const MergeProduct* product_or_refuse();
    void write(const std::vector<OutputFile>& files, bool overwrite);

    SessionBase& base_;
};

}  // namespace moorhaze::desktop
