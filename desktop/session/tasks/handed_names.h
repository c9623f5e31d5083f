// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/hand_over.h"
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// What the names of the files that are handed over are made from.
struct NamesInputs {
    HandOver hand_over;
    QString folder;
    NameParts parts;      ///< of the result shown; without what an output or a list says
    cv::Size kept;        ///< of the finished picture; empty without one
    std::string project;  ///< its name
    bool operator==(const NamesInputs&) const = default;
};

/// The name that an output gets, or why it gets none.
struct NamedOutput {
    QString name, problem;
    bool exists = false;  ///< in the folder
};
struct HandedNamesValue {
    std::vector<NamedOutput> outputs;  ///< in the project's order
    QString listed_article;            ///< the list's number of this project
    QString list_problem;
};

/// The name of one output in the folder, with its ending; {number} counts up to a free one. In any thread.
/// @throws BadParameter as name_of_output(), or for an impossible size; FileError for a list of articles that
/// is none.
QString name_of_handed(const NamesInputs& in, const Output& output);
NamesInputs names_inputs(const SessionBase& base, const QString& folder);

/// The names that all outputs would get now, found out beside the interface: a list of articles is read for
/// them, and a folder on a slow disc is looked into.
class HandedNames : public QObject {
    Q_OBJECT
  public:
    explicit HandedNames(SessionBase& base, QObject* parent = nullptr);

    const QString& folder() const { return folder_; }
    void set_folder(const QString& folder);
    /// Null while they are found out for the first time.
    const HandedNamesValue* value() const { return names_.value(); }
    /// The folder may hold other files now.
    void look_again();

  signals:
    void changed();

  private:
    SessionBase& base_;
    QString folder_;
    Derived<NamesInputs, HandedNamesValue> names_;
};

}  // namespace moorhaze::desktop
