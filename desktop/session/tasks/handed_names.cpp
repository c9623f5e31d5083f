// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/handed_names.h"

#include <QDir>
#include <QFileInfo>

#include "core/finish/articles.h"
#include "core/finish/framing.h"
#include "desktop/session/document/shown_finish.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

NamesInputs names_inputs(const SessionBase& base, const QString& folder) {
    const Project& project = base.document.project();
    NamesInputs in{project.hand_over, folder, {}, {}, project.name};
    in.parts.series = project.name;
    const ProjectResult* result = base.standpoint.result();
    if (!result) return in;
    in.parts.result = result->title;
    in.parts.method = result->made_from.choice.method;
    in.parts.frames = int(result->made_from.frames.size());
    if (const MergeProduct* product = base.products.merge(result->id)) {
        in.parts.date = product->shooting.taken.value_or("").substr(0, 10);
        try {
            in.kept = kept_of(shown_finish(base).finish.framing, product->result->area).size();
        } catch (const BadParameter&) {
            in.kept = {};  // a crop outside of the picture: handing over says so
        }
    }
    return in;
}

QString name_of_handed(const NamesInputs& in, const Output& output) {
    NameParts parts = in.parts;
    parts.article = article_of(in.hand_over, in.project);
    if (!in.kept.empty()) {
        const cv::Size size = size_of_output(output.size, in.kept);
        parts.width = size.width, parts.height = size.height;
    }
    QString name = text(name_of_output(output.name, parts, output.format));
    if (output.name.find("{number}") == std::string::npos) return name;
    while (QFileInfo::exists(QDir(in.folder).filePath(name))) {
        ++parts.number;
        name = text(name_of_output(output.name, parts, output.format));
    }
    return name;
}

HandedNames::HandedNames(SessionBase& base, QObject* parent)
    : QObject(parent),
      base_(base),
      names_({.name = tr("names of the files"),
              .inputs = [this]() -> tl::expected<NamesInputs, Why> { return names_inputs(base_, folder_); },
              .make =
                  [](const NamesInputs& in, const Job&) {
                      HandedNamesValue value;
                      try {
                          if (in.hand_over.article.empty())
                              value.listed_article = text(article_of(in.hand_over, in.project));
                      } catch (const Error& error) {
                          value.list_problem = QString::fromUtf8(error.what());
                      }
                      for (const Output& output : in.hand_over.outputs) {
                          NamedOutput own;
                          try {
                              check(output);
                              own.name = name_of_handed(in, output);
                              own.exists = QFileInfo::exists(QDir(in.folder).filePath(own.name));
                          } catch (const Error& error) {
                              own.problem = QString::fromUtf8(error.what());
                          }
                          value.outputs.push_back(own);
                      }
                      return value;
                  },
              .serves = [](const NamesInputs&, const NamesInputs&) { return true; },
              .replaced = LatestWish::Replaced::comes_to_its_end},
             base.derived) {
    connect(&names_, &DerivedRow::changed, this, &HandedNames::changed);
}

void HandedNames::look_again() {
    names_.make_again();
}

void HandedNames::set_folder(const QString& folder) {
    if (folder == folder_) return;
    folder_ = folder;
    names_.follow();
}

}  // namespace moorhaze::desktop
