// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/hand_over_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDesktopServices>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QPushButton>
#include <QSignalBlocker>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>
#include <algorithm>

#include "core/project/words.h"
#include "desktop/session/work/text.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

struct SizeChoice {
    const char* name;
    SizeWish wish;
    const char* unit;
};
constexpr SizeChoice kSizes[] = {
    {QT_TRANSLATE_NOOP("HandOverPage", "Full size"), SizeWish::full, ""},
    {QT_TRANSLATE_NOOP("HandOverPage", "Long side"), SizeWish::long_side, " px"},
    {QT_TRANSLATE_NOOP("HandOverPage", "Width"), SizeWish::width, " px"},
    {QT_TRANSLATE_NOOP("HandOverPage", "Height"), SizeWish::height, " px"},
    {QT_TRANSLATE_NOOP("HandOverPage", "Percent"), SizeWish::percent, " %"},
    {QT_TRANSLATE_NOOP("HandOverPage", "Print, 300 dpi"), SizeWish::print, " mm"}};

QLineEdit* field(const char* object_name, const QString& name, const QString& tip, QWidget* parent) {
    auto* own = new QLineEdit(parent);
    own->setObjectName(QLatin1String(object_name));
    own->setAccessibleName(name);
    own->setToolTip(tip);
    own->setPlaceholderText(name);
    return own;
}

}  // namespace

HandOverPage::HandOverPage(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), choice_(session.hand_over_choice) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(6);
    list_ = make_short_list(QStringLiteral("outputs"), tr("Files to hand over"), this);
    list_->setToolTip(tr("Each becomes a file; its mark switches it off"));
    rows->addWidget(list_);
    add_ = make_button(tr("Add a file"), {}, tr("One more file, as the chosen one; change it below"), this);
    add_->setObjectName(QStringLiteral("addOutput"));
    remove_ = make_button(tr("Remove"), {}, tr("The chosen file is not made any more"), this);
    remove_->setObjectName(QStringLiteral("removeOutput"));
    rows->addLayout(side_by_side(add_, remove_));
    build_output();
    build_about();
    build_outcome();

    connect(list_, &RowList::current_moved, this, [this](int row) {
        if (row < 0) return;
        place_ = row;
        show_output();
    });
    connect(list_, &RowList::tick_asked, this,
            [this](int row, bool ticked) { choice_.set_off(row, !ticked); });
    connect(add_, &QPushButton::clicked, this, [this] {
        const int like = chosen();
        place_ = choice_.count();
        choice_.add_like(like);
    });
    connect(remove_, &QPushButton::clicked, this, [this] { choice_.remove(chosen()); });
    connect(&choice_, &HandOverChoice::refused, this, &HandOverPage::refresh);
    connect(&session_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.series) suggest_folder();
    });
    connect(folder_, &QLineEdit::textChanged, this,
            [this](const QString& folder) { session_.handed_names.set_folder(folder.trimmed()); });
    connect(&session_.handed_names, &HandedNames::changed, this, &HandOverPage::show_name);
    suggest_folder();
}

void HandOverPage::build_output() {
    auto* rows = static_cast<QVBoxLayout*>(layout());
    kind_ = new QComboBox(this);
    kind_->setObjectName(QStringLiteral("exportKind"));
    kind_->setAccessibleName(tr("Kind of file"));
    kind_->setToolTip(tr("TIFF 16 bit keeps all tones for further work; JPEG is small; JPEG XL is both"));
    for (const ExportKind& kind : export_kinds()) kind_->addItem(kind.title);
    rows->addWidget(kind_);
    quality_ = new ValueRow(
        {tr("Quality"), {}, tr("From 90 on a JPEG keeps colour at full resolution"), {}, 50, 99, 1, 0, false},
        this);
    quality_->setObjectName(QStringLiteral("quality"));
    rows->addWidget(quality_);
    auto* sizes = new QHBoxLayout;
    sizes->setSpacing(8);
    size_ = new QComboBox(this);
    size_->setObjectName(QStringLiteral("outputSize"));
    size_->setAccessibleName(tr("Size"));
    size_->setToolTip(tr("Made smaller in linear light, and sharpened for it a little"));
    for (const SizeChoice& own : kSizes) size_->addItem(tr(own.name));
    size_value_ = new QDoubleSpinBox(this);
    size_value_->setObjectName(QStringLiteral("outputSizeValue"));
    size_value_->setAccessibleName(tr("Size"));
    size_value_->setDecimals(0);
    size_value_->setRange(1, 65535);
    size_value_->setKeyboardTracking(false);
    sizes->addWidget(size_, 3);
    sizes->addWidget(size_value_, 2);
    rows->addLayout(sizes);
    profile_ = new QComboBox(this);
    profile_->setObjectName(QStringLiteral("outputProfile"));
    profile_->setAccessibleName(tr("Colours"));
    profile_->setToolTip(tr("The colour profile that the file's values are in; it is embedded"));
    profile_->addItems({tr("Colours as the frames"), tr("sRGB, for screens"), tr("Wide, for further work"),
                        tr("A profile file...")});
    rows->addWidget(profile_);
    intent_ = new QComboBox(this);
    intent_->setObjectName(QStringLiteral("outputIntent"));
    intent_->setAccessibleName(tr("Colours that the profile has not"));
    intent_->setToolTip(tr("What becomes of colours that the profile file has not"));
    intent_->addItems({tr("What fits stays as it is"), tr("As the profile's maker meant"),
                       tr("White on white, for proofs")});
    rows->addWidget(intent_);
    connect(intent_, &QComboBox::activated, this, [this](int place) {
        change_output(tr("set the colours"), [&](Output& own) { own.intent = ColourIntent(place); });
    });
    name_ =
        field("exportName", tr("Name"),
              tr("Name of the file; may hold %1. The ending follows the kind").arg(QString::fromStdString([] {
                  std::string all;
                  for (const std::string& own : name_pattern_parts()) all += (all.empty() ? "" : " ") + own;
                  return all;
              }())),
              this);
    rows->addWidget(name_);
    article_ = field("article", tr("Article number"), tr("What {article} stands for in the name"), this);
    article_row_ = new QWidget(this);
    auto* articles = new QHBoxLayout(article_row_);
    articles->setContentsMargins(0, 0, 0, 0);
    articles->setSpacing(8);
    auto* list = make_button(
        tr("List..."), {},
        tr("A table with the name of each series and its number; used where none is typed"), this);
    list->setObjectName(QStringLiteral("articleList"));
    articles->addWidget(article_, 1);
    articles->addWidget(list);
    rows->addWidget(article_row_);
    connect(list, &QPushButton::clicked, this, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("List of article numbers"), {},
                                                          tr("Tables (*.csv *.tsv *.txt);;All files (*)"));
        if (!file.isEmpty()) choice_.take_articles(file);
    });
    name_outcome_ = new QLabel(this);
    name_outcome_->setObjectName(QStringLiteral("nameOutcome"));
    name_outcome_->setProperty("role", "quiet");
    name_outcome_->setWordWrap(true);
    rows->addWidget(name_outcome_);
    auto* folders = new QHBoxLayout;
    folders->setSpacing(8);
    folder_ = field("exportFolder", tr("Folder"), tr("Folder to save into"), this);
    auto* choose = make_button(tr("..."), {}, tr("Choose where to save"), this);
    choose->setAccessibleName(tr("Choose a folder"));
    choose->setFixedWidth(with_text(40));
    folders->addWidget(folder_, 1);
    folders->addWidget(choose);
    rows->addLayout(folders);

    connect(kind_, &QComboBox::activated, this, [this](int place) {
        exists_->hide();
        change_output(tr("set the kind of file"),
                      [&](Output& own) { own = with_kind(own, export_kinds()[std::size_t(place)]); });
    });
    connect(kind_, &QComboBox::currentIndexChanged, this, [this](int place) {
        if (place >= 0 && kind_of(own().outputs[std::size_t(chosen())]) != place)
            emit kind_->activated(place);
    });
    connect(quality_, &ValueRow::value_changed, this, [this](double value) {
        change_output(
            tr("set the quality"), [&](Output& own) { own.quality = int(value); }, QStringLiteral("quality"));
    });
    connect(size_, &QComboBox::activated, this, [this](int place) {
        change_output(tr("set the size"), [&](Output& own) {
            own.size.wish = kSizes[place].wish;
            own.size.value = own.size.wish == SizeWish::percent ? 50
                             : own.size.wish == SizeWish::print ? 300
                                                                : 1500;
            own.sharpen = own.size.wish == SizeWish::full ? 0 : 0.4;
        });
    });
    connect(size_value_, &QDoubleSpinBox::valueChanged, this, [this](double value) {
        change_output(
            tr("set the size"), [&](Output& own) { own.size.value = value; }, QStringLiteral("size"));
    });
    connect(profile_, &QComboBox::activated, this, [this](int place) {
        if (ProfileWish(place) == ProfileWish::file) {
            const QString file = QFileDialog::getOpenFileName(this, tr("Colour profile"),
                                                              QStringLiteral("/usr/share/color/icc"),
                                                              tr("Colour profiles (*.icc *.icm)"));
            show_output();  // until the file has been read
            if (!file.isEmpty()) choice_.take_profile(chosen(), file);
            return;
        }
        change_output(tr("set the colours"), [&](Output& own) {
            own.profile = ProfileWish(place);
            own.profile_file.clear();
        });
    });
    connect(name_, &QLineEdit::textEdited, this, [this](const QString& name) {
        show_name();
        if (!name.trimmed().isEmpty())
            change_output(
                tr("name a file"), [&](Output& own) { own.name = name.trimmed().toStdString(); },
                QStringLiteral("name"));
    });
    connect(name_, &QLineEdit::textChanged, this, [this](const QString& name) {
        // Set by a program, it counts as well.
        if (!name_->signalsBlocked() && !name.trimmed().isEmpty() &&
            name.trimmed().toStdString() != own().outputs[std::size_t(chosen())].name)
            emit name_->textEdited(name);
    });
    connect(name_, &QLineEdit::returnPressed, this, &HandOverPage::hand_over);
    connect(article_, &QLineEdit::textEdited, this, [this](const QString& text) {
        choice_.change(
            tr("set the article number"), [&](HandOver& all) { all.article = text.trimmed().toStdString(); },
            QStringLiteral("article"));
    });
    connect(choose, &QPushButton::clicked, this, &HandOverPage::choose_folder);
}

void HandOverPage::build_about() {
    auto* rows = static_cast<QVBoxLayout*>(layout());
    about_toggle_ = new QToolButton(this);
    about_toggle_->setObjectName(QStringLiteral("aboutPicture"));
    about_toggle_->setText(tr("About the picture"));
    about_toggle_->setToolTip(tr("Title, description, creator, rights and keywords go into every file"));
    about_toggle_->setCheckable(true);
    about_toggle_->setArrowType(Qt::RightArrow);
    about_toggle_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    about_toggle_->setAutoRaise(true);
    rows->addWidget(about_toggle_);
    about_box_ = new QWidget(this);
    auto* fields = new QVBoxLayout(about_box_);
    fields->setContentsMargins(0, 0, 0, 0);
    fields->setSpacing(4);
    const std::tuple<const char*, QString, std::function<void(AboutPicture&, const std::string&)>> kinds[] = {
        {"aboutTitle", tr("Title"), [](AboutPicture& own, const std::string& text) { own.title = text; }},
        {"aboutDescription", tr("Description"),
         [](AboutPicture& own, const std::string& text) { own.description = text; }},
        {"aboutCreator", tr("Creator"),
         [](AboutPicture& own, const std::string& text) { own.creator = text; }},
        {"aboutRights", tr("Rights"), [](AboutPicture& own, const std::string& text) { own.rights = text; }},
        {"aboutKeywords", tr("Keywords, with commas between"),
         [](AboutPicture& own, const std::string& text) { own.keywords = keywords_of(text); }}};
    for (const auto& [object_name, name, set] : kinds) {
        auto* edit = field(object_name, name, tr("Goes into the metadata of every file"), about_box_);
        fields->addWidget(edit);
        about_ << edit;
        connect(edit, &QLineEdit::editingFinished, this, [this, edit, set = set] {
            choice_.change(tr("say what the picture is"),
                           [&](HandOver& all) { set(all.about, edit->text().trimmed().toStdString()); });
        });
    }
    with_private_ = new QCheckBox(tr("Place, owner and serial numbers"), about_box_);
    with_private_->setObjectName(QStringLiteral("withPrivate"));
    with_private_->setToolTip(
        tr("Where the frames were taken, the camera's owner, and its and the lens's numbers go along"));
    fields->addWidget(with_private_);
    connect(with_private_, &QCheckBox::clicked, this, [this](bool wanted) {
        choice_.change(tr("say what the picture is"), [&](HandOver& all) { all.with_private = wanted; });
    });
    about_box_->hide();
    rows->addWidget(about_box_);
    connect(about_toggle_, &QToolButton::toggled, this, [this](bool open) {
        about_toggle_->setArrowType(open ? Qt::DownArrow : Qt::RightArrow);
        about_box_->setVisible(open);
    });
}

void HandOverPage::build_outcome() {
    auto* rows = static_cast<QVBoxLayout*>(layout());
    outcome_ = new QLabel(this);
    outcome_->setObjectName(QStringLiteral("exportOutcome"));
    outcome_->setWordWrap(true);
    outcome_->setTextInteractionFlags(Qt::TextBrowserInteraction);
    outcome_->setToolTip(tr("A click on a file opens it in the desktop's program for its kind"));
    connect(outcome_, &QLabel::linkActivated, this, [this](const QString& link) {
        if (!QDesktopServices::openUrl(QUrl(link)))
            session_.notices.notify_error(
                tr("The desktop has no program for this kind of file. It lies at %1.")
                    .arg(QUrl(link).toLocalFile()));
    });
    rows->addWidget(outcome_);
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
    rows->addWidget(exists_);
    exists_->hide();
    connect(other_name_, &QPushButton::clicked, this, [this] {
        exists_->hide();
        session_.exporter.hand_over(folder_->text().trimmed(), Exporter::Existing::new_name);
    });
    connect(replace_, &QPushButton::clicked, this, [this] {
        exists_->hide();
        session_.exporter.hand_over(folder_->text().trimmed(), Exporter::Existing::replace);
    });
    connect(&session_.exporter, &Exporter::exist_already, this, &HandOverPage::show_existing);
    connect(&session_.exporter, &Exporter::handed_over, this, &HandOverPage::show_outcomes);
}

int HandOverPage::chosen() const {
    return std::clamp(place_, 0, std::max(0, int(own().outputs.size()) - 1));
}

void HandOverPage::change_output(const QString& what, const std::function<void(Output&)>& change,
                                 const QString& join) {
    choice_.change_output(chosen(), what, change, join);
}

void HandOverPage::show_list() {
    std::vector<ListRow> rows;
    for (const Output& output : own().outputs)
        rows.push_back({.key = QString::number(rows.size()),
                        .words = QString::fromStdString(in_words(output)),
                        .ticked = !output.is_off});
    list_->set_rows(std::move(rows));
    list_->set_current(chosen());
    remove_->setEnabled(own().outputs.size() > 1);
}

void HandOverPage::show_output() {
    if (own().outputs.empty()) return;
    const Output& output = own().outputs[std::size_t(chosen())];
    const ExportKind& kind = export_kinds()[std::size_t(kind_of(output))];
    const QSignalBlocker quiet_kind(kind_), quiet_size(size_), quiet_value(size_value_), quiet_name(name_);
    kind_->setCurrentIndex(kind_of(output));
    quality_->setVisible((output.format == FileFormat::jpeg || output.format == FileFormat::jxl) &&
                         kind.quality == 0);
    quality_->set_value(output.quality);
    const auto size = std::find_if(std::begin(kSizes), std::end(kSizes),
                                   [&](const SizeChoice& own) { return own.wish == output.size.wish; });
    size_->setCurrentIndex(int(size - std::begin(kSizes)));
    const bool keeps_size = output.format == FileFormat::raw || output.format == FileFormat::open_raster;
    size_->setEnabled(!keeps_size);
    profile_->setEnabled(output.format != FileFormat::raw);
    size_value_->setVisible(output.size.wish != SizeWish::full);
    size_value_->setSuffix(QLatin1String(size->unit));
    size_value_->setValue(output.size.value);
    profile_->setCurrentIndex(int(output.profile));
    intent_->setVisible(output.profile == ProfileWish::file);
    intent_->setCurrentIndex(int(output.intent));
    if (const QString name = QString::fromStdString(output.name); name_->text().trimmed() != name)
        name_->setText(name);
    article_row_->setVisible(std::any_of(own().outputs.begin(), own().outputs.end(), [](const Output& one) {
        return one.name.find("{article}") != std::string::npos;
    }));
    if (const QString article = QString::fromStdString(own().article); article_->text().trimmed() != article)
        article_->setText(article);
    show_name();
}

void HandOverPage::show_name() {
    const HandedNamesValue* names = session_.handed_names.value();
    if (!names) return name_outcome_->clear();
    article_->setPlaceholderText(!names->list_problem.isEmpty()    ? tr("The list cannot be read")
                                 : names->listed_article.isEmpty() ? tr("Article number")
                                                                   : names->listed_article);
    if (chosen() >= int(names->outputs.size())) return;
    const NamedOutput& named = names->outputs[std::size_t(chosen())];
    name_outcome_->setText(name_->text().trimmed().isEmpty() ? tr("The file needs a name.")
                           : !named.problem.isEmpty()        ? named.problem
                           : named.exists                    ? tr("%1, which exists already").arg(named.name)
                                                             : named.name);
}

void HandOverPage::show_about() {
    const AboutPicture& about = own().about;
    std::string keywords;
    for (const std::string& word : about.keywords) keywords += (keywords.empty() ? "" : ", ") + word;
    const std::string texts[] = {about.title, about.description, about.creator, about.rights, keywords};
    for (int i = 0; i < about_.size(); ++i)
        if (!about_[i]->hasFocus()) about_[i]->setText(QString::fromStdString(texts[i]));
    with_private_->setChecked(own().with_private);
}

void HandOverPage::refresh() {
    show_list();
    show_output();
    show_about();
}

void HandOverPage::suggest_folder() {
    outcome_->clear();
    exists_->hide();
    if (folder_->text().isEmpty()) folder_->setText(HandOverChoice::usual_folder());
}

void HandOverPage::choose_folder() {
    const QString chosen_folder = QFileDialog::getExistingDirectory(this, tr("Save into"), folder_->text());
    if (!chosen_folder.isEmpty()) folder_->setText(chosen_folder);
}

void HandOverPage::hand_over() {
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
    session_.exporter.hand_over(folder_->text().trimmed(), Exporter::Existing::ask);
}

void HandOverPage::show_existing(const QStringList& files) {
    const QString first = QFileInfo(files.first()).fileName();
    outcome_->setText(files.size() == 1
                          ? tr("%1 exists already. Save under another name, or replace it?").arg(first)
                          : tr("%1 and %2 more exist already. Save under other names, or replace them?")
                                .arg(first)
                                .arg(files.size() - 1));
    exists_->show();
    other_name_->setFocus();
}

void HandOverPage::show_outcomes(const std::vector<ExportOutcome>& outcomes) {
    exists_->hide();
    QStringList lines;
    for (const ExportOutcome& own : outcomes)
        lines << (own.problem.isEmpty()
                      ? tr("Saved <a href=\"%1\">%2</a> (%3)")
                            .arg(QUrl::fromLocalFile(own.file).toString(QUrl::FullyEncoded),
                                 QDir::toNativeSeparators(own.file).toHtmlEscaped(),
                                 QLocale().formattedDataSize(own.bytes, 1, QLocale::DataSizeSIFormat))
                      : own.problem.toHtmlEscaped());
    outcome_->setText(lines.join(QStringLiteral("<br>")));
    session_.handed_names.look_again();
}

}  // namespace moorhaze::desktop
