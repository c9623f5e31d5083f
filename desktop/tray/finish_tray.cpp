#include "desktop/tray/finish_tray.h"

#include <QComboBox>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QPushButton>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "desktop/session/text.h"

namespace moorhaze::desktop {

FinishTray::FinishTray(Session& session, QWidget* parent) : Tray(tr("Finish"), parent), session_(session) {
    add_section(tr("Kind of file"));
    kind_ = new QComboBox(this);
    kind_->setObjectName(QStringLiteral("exportKind"));
    kind_->setAccessibleName(tr("Kind of file"));
    kind_->setToolTip(tr("TIFF 16 bit keeps all tones for further work; JPEG is small"));
    for (const ExportKind& kind : export_kinds()) kind_->addItem(kind.title);
    body()->addWidget(kind_);
    quality_ = new ValueRow({tr("Quality"),
                             {},
                             tr("JPEG quality; from 90 on colour is kept at full resolution"),
                             {},
                             50,
                             100,
                             1,
                             0,
                             false},
                            this);
    quality_->set_value(95);
    body()->addWidget(quality_);
    add_section(tr("Name"));
    name_ = new QLineEdit(this);
    name_->setObjectName(QStringLiteral("exportName"));
    name_->setAccessibleName(tr("Name"));
    name_->setToolTip(tr("Name of the file; the ending follows the kind"));
    body()->addWidget(name_);
    add_section(tr("Folder"));
    folder_ = new QLineEdit(this);
    folder_->setObjectName(QStringLiteral("exportFolder"));
    folder_->setAccessibleName(tr("Folder"));
    folder_->setToolTip(tr("Folder to save into"));
    body()->addWidget(folder_);
    auto* choose = add_button(tr("Choose a folder"), {}, tr("Choose where to save"));
    add_hairline();
    about_ = add_quiet({});
    outcome_ = add_line({});
    outcome_->setObjectName(QStringLiteral("exportOutcome"));
    outcome_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    exists_ = new QWidget(this);
    auto* row = new QHBoxLayout(exists_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    other_name_ = make_button(tr("New name"), {}, tr("Saves beside it under the next free name"), exists_);
    other_name_->setObjectName(QStringLiteral("newName"));
    replace_ = make_button(tr("Replace"), {}, tr("Replaces the file that is there"), exists_);
    replace_->setObjectName(QStringLiteral("replace"));
    row->addWidget(other_name_, 1);
    row->addWidget(replace_, 1);
    body()->addWidget(exists_);
    exists_->hide();
    export_ = set_next(make_button(tr("Export"), tr("Ctrl+E"), tr("Saves the picture"), this));
    export_->setObjectName(QStringLiteral("export"));

    connect(kind_, &QComboBox::currentIndexChanged, this, [this] {
        exists_->hide();
        refresh();
    });
    connect(choose, &QPushButton::clicked, this, &FinishTray::choose_folder);
    connect(export_, &QPushButton::clicked, this, &FinishTray::save);
    connect(name_, &QLineEdit::returnPressed, this, &FinishTray::save);
    connect(other_name_, &QPushButton::clicked, this, [this] {
        name_->setText(QFileInfo(Exporter::free_name(file())).completeBaseName());
        save();
    });
    connect(replace_, &QPushButton::clicked, this, [this] {
        exists_->hide();
        session_.exporter.save(file(), kind(), int(quality_->value()), true);
    });
    connect(&session_.exporter, &Exporter::exists_already, this, &FinishTray::show_exists);
    connect(&session_.exporter, &Exporter::saved, this, [this](const QString& file, qint64 bytes) {
        exists_->hide();
        outcome_->setText(tr("Saved %1 (%2)")
                              .arg(QDir::toNativeSeparators(file),
                                   QLocale().formattedDataSize(bytes, 1, QLocale::DataSizeSIFormat)));
    });
    connect(&session_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.series) suggest();
    });
    connect(&session_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::result) refresh();
    });
    connect(&session_.products, &Products::changed, this, &FinishTray::refresh);
    suggest();
}

const ExportKind& FinishTray::kind() const {
    return export_kinds()[std::size_t(std::max(0, kind_->currentIndex()))];
}

QString FinishTray::file() const {
    QString name = name_->text().trimmed();
    const QString ending = kind().ending;
    if (!name.endsWith(ending, Qt::CaseInsensitive)) name += ending;
    return QDir(folder_->text().trimmed()).filePath(name);
}

void FinishTray::suggest() {
    outcome_->clear();
    exists_->hide();
    name_->setText(session_.document.has_series() ? text(session_.document.project().name) + tr("-merged")
                                                  : QString());
    QString folder = QStandardPaths::writableLocation(QStandardPaths::PicturesLocation);
    if (folder.isEmpty() || !QFileInfo(folder).isDir()) folder = QDir::homePath();
    folder_->setText(folder);
    refresh();
}

void FinishTray::refresh() {
    const ProjectResult* result = session_.standpoint.result();
    const MergeProduct* product = result ? session_.products.merge(result->id) : nullptr;
    quality_->setVisible(kind().write.format == FileFormat::jpeg);
    export_->setEnabled(product != nullptr);
    set_state(result ? text(result->title) : QString());
    about_->setText(product ? tr("%1 x %2 px. The colour profile and shooting data of frame %3 go with it.")
                                  .arg(product->result->area.width)
                                  .arg(product->result->area.height)
                                  .arg(product->plane->geometry.reference + 1)
                            : tr("Nothing is merged yet (Ctrl+Return)."));
}

void FinishTray::save() {
    if (name_->text().trimmed().isEmpty()) {
        session_.notices.notify_error(tr("The file needs a name."));
        name_->setFocus();
        return;
    }
    if (!QFileInfo(folder_->text().trimmed()).isDir()) {
        session_.notices.notify_error(
            tr("%1: there is no such folder. Choose another one.").arg(folder_->text()));
        folder_->setFocus();
        return;
    }
    exists_->hide();
    outcome_->clear();
    session_.exporter.save(file(), kind(), int(quality_->value()), false);
}

void FinishTray::show_exists(const QString& file) {
    outcome_->setText(
        tr("%1 exists already. Save under another name, or replace it?").arg(QFileInfo(file).fileName()));
    exists_->show();
    other_name_->setFocus();
}

void FinishTray::choose_folder() {
    const QString chosen = QFileDialog::getExistingDirectory(this, tr("Save into"), folder_->text());
    if (!chosen.isEmpty()) folder_->setText(chosen);
}

}  // namespace moorhaze::desktop
