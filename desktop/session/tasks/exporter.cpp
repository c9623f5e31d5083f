// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/exporter.h"

#include <QDir>
#include <QFileInfo>
#include <algorithm>
#include <set>

#include "core/finish/framing.h"
#include "core/mend/mended.h"
#include "core/mend/painted_mask.h"
#include "core/project/handed_picture.h"
#include "core/project/words.h"
#include "core/series/protected_frames.h"
#include "desktop/session/document/mended_result.h"
#include "desktop/session/document/shown_finish.h"
#include "desktop/session/tasks/handed_names.h"

namespace moorhaze::desktop {
namespace {

const QString kExport = QStringLiteral("export");

}  // namespace

const std::vector<ExportKind>& export_kinds() {
    static const std::vector<ExportKind> kinds = {
        {QStringLiteral("TIFF, 16 bit"), FileFormat::tiff, 16, 0},
        {QStringLiteral("TIFF, 8 bit"), FileFormat::tiff, 8, 0},
        {QStringLiteral("JPEG"), FileFormat::jpeg, 8, 0},
        {QStringLiteral("PNG, 16 bit"), FileFormat::png, 16, 0},
        {QStringLiteral("PNG, 8 bit"), FileFormat::png, 8, 0},
        {QStringLiteral("JPEG XL, lossless"), FileFormat::jxl, 16, 100},
        {QStringLiteral("JPEG XL"), FileFormat::jxl, 16, 0},
        {QStringLiteral("Linear DNG, of raw frames"), FileFormat::raw, 16, 0},
        {QStringLiteral("OpenRaster, layers, 16 bit"), FileFormat::open_raster, 16, 0},
        {QStringLiteral("OpenRaster, layers, 8 bit"), FileFormat::open_raster, 8, 0},
    };
    return kinds;
}

int kind_of(const Output& output) {
    const auto& kinds = export_kinds();
    const auto found = std::find_if(kinds.begin(), kinds.end(), [&](const ExportKind& kind) {
        return kind.format == output.format && (kind.bits == output.bits || kind.format == FileFormat::jxl) &&
               (kind.quality == 0 || kind.quality == output.quality);
    });
    return found == kinds.end() ? 0 : int(found - kinds.begin());
}

Output with_kind(Output output, const ExportKind& kind) {
    output.format = kind.format;
    output.bits = kind.bits;
    // What keeps the full size can't be made smaller.
    if (kind.format == FileFormat::raw || kind.format == FileFormat::open_raster) output.size = {};
    if (kind.quality > 0)
        output.quality = kind.quality;
    else if (output.quality == 100)
        output.quality = Output{}.quality;
    return output;
}

Exporter::Exporter(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.exports, &JobRunner::failed, this, [this](const QString& title, const QString& why) {
        if (title == kExport) emit failed(why);
    });
}

void Exporter::refuse(const QString& why) {
    base_.notices.notify_error(why);
    emit failed(why);
}

const MergeProduct* Exporter::product_or_refuse() {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    if (!product) refuse(why_no_picture(base_));
    return product;
}

void Exporter::hand_over(const QString& folder, Existing existing) {
    if (!product_or_refuse()) return;
    std::vector<OutputFile> files;
    QStringList there;
    std::set<QString> names;
    const NamesInputs of = names_inputs(base_, folder);
    for (const Output& output : of.hand_over.outputs) {
        if (output.is_off) continue;
        QString name;
        try {
            name = name_of_handed(of, output);
        } catch (const Error& error) {
            return refuse(QString::fromUtf8(error.what()));
        }
        if (!names.insert(name).second)
            return refuse(
                tr("Two outputs have the name %1. Give one of them another, with {size} say.").arg(name));
        const QString file = QDir(folder).filePath(name);
        if (QFileInfo::exists(file)) there << file;
        std::filesystem::path path(file.toStdString());
        if (existing == Existing::new_name) path = free_name(path);
        files.push_back({path, output});
    }
    if (files.empty()) return refuse(tr("No output is switched on: there is nothing to hand over."));
    if (existing == Existing::ask && !there.isEmpty()) {
        emit exist_already(there);
        return;
    }
    write(files, existing == Existing::replace);
}

void Exporter::save(const QString& file, const Output& output, bool overwrite) {
    if (!product_or_refuse()) return;
    const std::filesystem::path given(file.toStdString());
    // The name as it is, completed by its ending.
    bool has_ending = false;
    try {
        has_ending = format_of_name(given) == output.format;
    } catch (const BadParameter&) {
        // Some other ending is a part of the name.
    }
    const std::string ending = name_of_output("x", {}, output.format).substr(1);
    const std::filesystem::path path = has_ending ? given : std::filesystem::path(given.string() + ending);
    if (!overwrite && std::filesystem::exists(path)) {
        emit exist_already({QString::fromStdString(path.string())});
        return;
    }
    write({{path, output}}, overwrite);
}

void Exporter::write(const std::vector<OutputFile>& files, bool overwrite) {
    const ProjectResult& result = *base_.standpoint.result();
    const MergeProduct& product = *base_.products.merge(result.id);
    const Finish finish = shown_finish(base_).finish;
    base_.exports.start(
        kExport,
        [product, development = result.made_from.align.look.development, strokes = result.strokes, finish,
         hand_over = base_.document.project().hand_over, files, overwrite,
         words = made_with(result) + finish_in_words(finish), sources = base_.products.sources(),
         results = base_.products.result_sources(result.strokes, product.plane)](const Job& job) {
            const MergeResult& merge = *product.result;
            // Whatever name was typed, and whatever was said about replacing: originals stay.
            const ProtectedFiles originals = protected_frames(product.plane->series);
            // A frame is decoded to paint from any: only where something was painted, or layers are wanted.
            std::shared_ptr<const FrameSource> frames;
            const auto mend_sources = [&] {
                if (!frames) frames = sources->of(product.plane);
                return MendSources{*frames, results};
            };
            Picture picture = strokes.empty()
                                  ? merge.picture
                                  : mended(merge, strokes, mend_sources(), merge.area, job.part(0, 0.2));
            auto subject = finish_subject(std::move(picture), merge.area.tl(), 1, job.part(0.2, 0.3));
            subject = prepared(subject, finish, product.plane->series.size(), job.part(0.3, 0.4));
            HandedPicture handed = handed_picture(subject, finish, job.part(0.4, 0.6));
            const Plane& plane = *product.plane;
            handed.raw =
                raw_rendering_of(plane.series.frames[std::size_t(plane.geometry.reference)], development);
            handed.layers = [&](const TakeLayer& take, const Job& own) {
                layers_of(merge, strokes, mend_sources(), finish, take, own);
            };
            std::vector<ExportOutcome> outcomes;
            for (const WrittenFile& own : write_outputs(
                     handed, files, said_of(hand_over, product.shooting, words), overwrite, job.part(0.6, 1)))
                outcomes.push_back({QString::fromStdString(own.path.string()), qint64(own.bytes),
                                    QString::fromStdString(own.problem), QString::fromStdString(own.remark)});
            return outcomes;
        },
        [this, id = result.id, strokes = result.strokes, finish = base_.document.project().finish,
         document = base_.document.id()](const std::vector<ExportOutcome>& outcomes) {
            const bool any = std::any_of(outcomes.begin(), outcomes.end(),
                                         [](const ExportOutcome& own) { return own.problem.isEmpty(); });
            if (any)
                base_.document.happened_in(
                    document, [&](const Project& own) { return with_saved(own, id, strokes, finish); });
            for (const ExportOutcome& own : outcomes)
                if (own.problem.isEmpty()) {
                    emit saved(own.file, own.bytes);
                    if (!own.remark.isEmpty())
                        base_.notices.notify(QFileInfo(own.file).fileName() + ": " + own.remark);
                } else {
                    refuse(own.problem);
                }
            emit handed_over(outcomes);
        });
}

void Exporter::save_mask(const QString& file) {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    if (!product || result->strokes.empty())
        return base_.notices.notify_error(tr("Nothing is painted yet: there is no mask to save."));
    const QString name =
        file.endsWith(QStringLiteral(".png"), Qt::CaseInsensitive) ? file : file + QStringLiteral(".png");
    base_.exports.start(
        tr("mask"),
        [product = *product, strokes = result->strokes,
         path = std::filesystem::path(name.toStdString())](const Job& job) {
            const ProtectedFiles originals = protected_frames(product.plane->series);
            const MergePlanes planes = planes_of(*product.result, product.plane->series);
            write_picture(path, painted_mask(strokes, planes, job), {}, mask_writing(true), job);
            return true;
        },
        [this, name](bool) { base_.notices.notify(tr("Saved as %1.").arg(QFileInfo(name).fileName())); });
}

}  // namespace moorhaze::desktop
