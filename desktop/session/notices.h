// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>

namespace moorhaze::desktop {

/// What the person is notified of, in one sentence each: what happened, to which file, and what to do.
class Notices : public QObject {
    Q_OBJECT
  public:
    explicit Notices(QObject* parent = nullptr) : QObject(parent) {}
    void notify(const QString& text) { emit notified(text, false); }
    void notify_error(const QString& text) { emit notified(text, true); }

  signals:
    void notified(QString text, bool is_error);
};

}  // namespace moorhaze::desktop
