#include "desktop/tray/plan_tray.h"

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "desktop/session/facts.h"

namespace moorhaze::desktop {

PlanTray::PlanTray(Session& session, QWidget* parent) : Tray(tr("Plan"), parent), session_(session) {
    add_section(tr("Bring in a series"));
    auto* folder = add_button(tr("Open a folder"), tr("Ctrl+O"),
                              tr("Choose the folder that holds the frames of one series"));
    auto* files = add_button(tr("Open files"), tr("Ctrl+Shift+O"), tr("Choose the frames of one series"));
    auto* demo =
        add_button(tr("Open the demo"), tr("Ctrl+D"), tr("Opens one of the series that come with Moorhaze"));
    add_quiet(
        tr("Or drop a folder or files on the window. JPEG, TIFF and PNG, 8 or 16 bit. Originals are only "
           "read."));
    add_hairline();
    add_section(tr("How it was shot"));
    facts_ = add_line({});
    facts_->setObjectName(QStringLiteral("facts"));
    problems_ = add_line({});
    problems_->setObjectName(QStringLiteral("problems"));
    problems_->setProperty("role", "warning");
    next_ = set_next(tr("Cull"), tr("Alt+2"), tr("Go on to choosing the frames"));
    connect(folder, &QPushButton::clicked, this, &PlanTray::open_folder_asked);
    connect(files, &QPushButton::clicked, this, &PlanTray::open_files_asked);
    connect(demo, &QPushButton::clicked, this, &PlanTray::open_demo_asked);
    connect(next_, &QPushButton::clicked, this, &PlanTray::next_asked);
    connect(&session_, &Session::series_changed, this, &PlanTray::refresh);
    connect(&session_, &Session::profiles_changed, this, &PlanTray::refresh);
    refresh();
}

void PlanTray::refresh() {
    next_->setEnabled(session_.has_series());
    set_state(session_.has_series() ? session_name(session_) : QString());
    facts_->setText(session_.has_series() ? series_facts(session_.series()).join('\n')
                                          : tr("No series is open yet."));
    QStringList shown = session_.problems().mid(0, 4);
    if (session_.problems().size() > 4) shown << tr("and %1 more").arg(session_.problems().size() - 4);
    problems_->setText(shown.join(QStringLiteral("\n\n")));
    problems_->setVisible(!shown.isEmpty());
}

}  // namespace moorhaze::desktop
