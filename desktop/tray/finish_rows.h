// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <functional>
#include <vector>

#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QVBoxLayout;

namespace moorhaze::desktop {

/// One number of the finish as a tray shows it.
struct FinishValue {
    const char* object_name;
    ValueRow::Look look;
    std::function<double&(Finish&)> value;
    FinishPart part;
    double per_unit = 1;  ///< of the finish's own value: 0.01 where percent are shown
};

/// A page of Finish's tray: numbers of the finish, each a row that follows it and changes it, one step of
/// undo a movement.
class FinishRows : public QWidget {
    Q_OBJECT
  public:
    FinishRows(Session& session, QWidget* parent);
    /// Brings every row up to date.
    virtual void refresh();

  protected:
    QVBoxLayout* rows() { return rows_; }
    ValueRow* add_value(const FinishValue& value);
    QLabel* add_words(const char* role, const QString& text);
    Session& session_;

  private:
    struct Row {
        FinishValue value;
        ValueRow* row;
    };
    QVBoxLayout* rows_;
    std::vector<Row> values_;
};

}  // namespace moorhaze::desktop
