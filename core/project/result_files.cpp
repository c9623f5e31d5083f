// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/result_files.h"

#include <algorithm>
#include <fstream>
#include <nlohmann/json.hpp>
#include <set>

#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "core/files/safe_write.h"
#include "core/work/json_text.h"

namespace moorhaze {
namespace {

constexpr double kFarthest_px = 1e6;  // farther out lies no picture

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

constexpr int kVersion = 1;

struct Names {
    fs::path folder;
    std::string number;
    Names(const fs::path& project, ResultId id)
        : folder(project / "results"), number(std::to_string(id.value)) {}
    fs::path file(const char* rest) const { return folder / (number + rest); }
};

Json matrix_json(const cv::Matx33d& matrix) {
    Json list = Json::array();
    for (const double value : matrix.val) list.push_back(value);
    return list;
}

Json dust_json(const std::vector<DustSpot>& spots) {
    Json dust = Json::array();
    for (const DustSpot& spot : spots)
        dust.push_back({{"at_px", {spot.at.x, spot.at.y}},
                        {"radius_px", spot.radius_px},
                        {"softness", spot.softness},
                        {"depth", spot.depth}});
    return dust;
}

std::vector<DustSpot> dust_of(const Json& json) {
    std::vector<DustSpot> spots;
    for (const Json& spot : json) {
        DustSpot dust{{spot.at("at_px").at(0).get<double>(), spot.at("at_px").at(1).get<double>()},
                      spot.at("radius_px").get<double>(),
                      spot.at("softness").get<double>(),
                      spot.at("depth").get<double>()};
        if (!(std::abs(dust.at.x) < kFarthest_px && std::abs(dust.at.y) < kFarthest_px &&
              dust.radius_px > 0.1 && dust.radius_px < 1000 && dust.softness > 0 && dust.softness <= 1 &&
              dust.depth >= 0 && dust.depth <= kDeepestDust))
            throw FileError("it has a spot of dust that cannot be");
        spots.push_back(dust);
    }
    return spots;
}

Json geometry_json(const SeriesGeometry& own, const std::vector<FrameVersion>& ids) {
    Json frames = Json::array();
    for (std::size_t i = 0; i < own.frames.size(); ++i) {
        const FrameGeometry& frame = own.frames[i];
        frames.push_back({{"id", ids[i].id.value},
                          {"matrix", matrix_json(frame.matrix)},
                          {"gains", {frame.gains[0], frame.gains[1], frame.gains[2]}},
                          {"registered", frame.registered},
                          {"interpolated", frame.interpolated},
                          {"residual_px", frame.residual_px},
                          {"corner_px", frame.corner_px},
                          {"problem", frame.problem},
                          {"warning", frame.warning}});
    }
    return {{"reference", ids[std::size_t(own.reference)].id.value},
            {"model", int(own.model)},
            {"model_reason", own.model_reason},
            {"vignetting", Json{own.vignetting.square, own.vignetting.fourth}},
            {"dust", dust_json(own.dust)},
            {"dust_left", dust_json(own.dust_left)},
            {"as_it_lies", own.as_it_lies},
            {"frames", frames}};
}

SeriesGeometry geometry_of(const Json& json, const std::vector<FrameVersion>& ids) {
    SeriesGeometry own;
    own.model = PlaneModel(std::clamp(json.at("model").get<int>(), 0, int(PlaneModel::perspective)));
    own.model_reason = json.at("model_reason").get<std::string>();
    own.as_it_lies = json.at("as_it_lies").get<bool>();
    own.vignetting = {json.at("vignetting").at(0).get<double>(), json.at("vignetting").at(1).get<double>()};
    own.dust = dust_of(json.value("dust", Json::array()));
    own.dust_left = dust_of(json.value("dust_left", Json::array()));
    const Json& frames = json.at("frames");
    if (frames.size() != ids.size()) throw FileError("it lies over other frames");
    for (std::size_t i = 0; i < ids.size(); ++i) {
        const Json& from = frames[i];
        if (from.at("id").get<int>() != ids[i].id.value) throw FileError("it lies over other frames");
        FrameGeometry frame;
        for (std::size_t k = 0; k < 9; ++k) frame.matrix.val[k] = from.at("matrix").at(k).get<double>();
        for (std::size_t k = 0; k < 3; ++k) frame.gains[int(k)] = from.at("gains").at(k).get<double>();
        for (const double part : frame.matrix.val)
            if (!(std::abs(part) < kFarthest_px)) throw FileError("a frame lies nowhere");
        if (!(std::abs(cv::determinant(frame.matrix)) > 1e-9)) throw FileError("a frame lies nowhere");
        frame.registered = from.at("registered").get<bool>();
        frame.interpolated = from.at("interpolated").get<bool>();
        frame.residual_px = from.at("residual_px").get<double>();
        frame.corner_px = from.at("corner_px").get<double>();
        frame.problem = from.at("problem").get<std::string>();
        frame.warning = from.at("warning").get<std::string>();
        if (ids[i].id.value == json.at("reference").get<int>()) own.reference = int(i);
        own.frames.push_back(std::move(frame));
    }
    return own;
}

/// Whether the plane of a frame passes out of sight within an area of reference pixels.
bool has_horizon(const cv::Matx33d& matrix, PixelRect area) {
    const cv::Matx33d back = matrix.inv();
    const auto depth = [&](int x, int y) { return back(2, 0) * x + back(2, 1) * y + back(2, 2); };
    const double middle = depth(area.x + area.width / 2, area.y + area.height / 2);
    for (const int x : {area.x, area.x + area.width})
        for (const int y : {area.y, area.y + area.height})
            if (!(depth(x, y) / middle > 0.05)) return true;
    return false;
}

/// All of a plane, or nothing where the file says that there is none.
cv::Mat plane_of(const fs::path& file, int type, cv::Size size) {
    cv::Mat plane = read_plane(file);
    if (plane.type() != type || plane.size() != size)
        throw FileError(file.string() + ": does not fit its picture. Merge it again.");
    return plane;
}

}  // namespace

std::string write_result(const fs::path& project, ResultId id, const MergeResult& result,
                         const SeriesGeometry& geometry, const MadeFrom& from, const ShootingData& shooting,
                         const Job& job) {
    const Names names(project, id);
    std::error_code failed;
    fs::create_directories(names.folder, failed);
    if (failed)
        throw FileError(names.folder.string() + ": results cannot be kept there (" + failed.message() +
                        "). Keep the project in another place.");
    write_plane(names.file("-source.tif"), result.source);
    job.checkpoint(0.1);
    write_plane(names.file("-made-by.tif"), result.made_by);
    write_plane(names.file("-depth.tif"), result.depth);
    job.checkpoint(0.4);
    if (!result.trust.empty()) write_plane(names.file("-trust.tif"), result.trust);
    job.checkpoint(0.6);
    WriteSettings write;
    write.overwrite = true;
    write.made_with = from.brought_in.empty()
                          ? "Moorhaze " + result.method + " merge of " + std::to_string(from.frames.size()) +
                                (from.frames.size() == 1 ? " frame" : " frames")
                          : "Moorhaze, brought in from outside";
    std::string unsaid =
        write_picture_anyway(names.file(".tif"), result.picture, shooting, write, job.part(0.6, 1));
    Json problems = Json::array();
    for (const FrameProblem& problem : result.problems)
        problems.push_back({{"frame", problem.frame_index}, {"what", problem.what}});
    const Json json{{"moorhaze_result", kVersion},
                    {"area_px", {result.area.x, result.area.y, result.area.width, result.area.height}},
                    {"method", result.method},
                    {"has_trust", !result.trust.empty()},
                    {"problems", problems},
                    {"geometry", geometry_json(geometry, from.align.look.frames)}};
    write_text_file(names.file(".json"), json_text(json, 1) + "\n", true);
    return unsaid;
}

bool has_result(const fs::path& project, ResultId id) {
    std::error_code unknown;
    return fs::exists(Names(project, id).file(".json"), unknown);
}

StoredResult read_result(const fs::path& project, const ProjectResult& own, const Job& job) {
    const Names names(project, own.id);
    const fs::path file = names.file(".json");
    StoredResult stored;
    MergeResult& result = stored.result;
    try {
        std::ifstream in(file);
        if (!in) throw FileError("cannot be read");
        const Json json = parsed_json(in);
        if (json.at("moorhaze_result").get<int>() > kVersion)
            throw FileError("is of a newer version than this Moorhaze. Use the newer one.");
        const Json& area = json.at("area_px");
        result.area = {area.at(0).get<int>(), area.at(1).get<int>(), area.at(2).get<int>(),
                       area.at(3).get<int>()};
        result.method = json.at("method").get<std::string>();
        for (const Json& problem : json.at("problems"))
            result.problems.push_back(
                {problem.at("frame").get<int>(), problem.at("what").get<std::string>()});
        stored.geometry = geometry_of(json.at("geometry"), own.made_from.align.look.frames);
        for (const FrameGeometry& frame : stored.geometry.frames)
            if (has_horizon(frame.matrix, result.area)) throw FileError("a frame is seen edge on");
        result.picture = read_picture(names.file(".tif"), {}, job);
        if (result.picture.bits() != 16 || result.picture.pixels.size() != result.area.size())
            throw FileError("does not fit its picture");
        const cv::Size size = result.area.size();
        result.source = plane_of(names.file("-source.tif"), CV_16UC1, size);
        job.checkpoint(0.6);
        result.made_by = plane_of(names.file("-made-by.tif"), CV_8UC1, size);
        result.depth = plane_of(names.file("-depth.tif"), CV_32FC1, size);
        job.checkpoint(0.8);
        if (json.at("has_trust").get<bool>())
            result.trust = plane_of(names.file("-trust.tif"), CV_32FC1, size);
    } catch (const nlohmann::json::exception& error) {
        throw FileError(file.string() + ": is damaged (" + error.what() + "). Merge it again.");
    } catch (const FileError& error) {
        const std::string why = error.what();
        throw FileError(
            why.find(names.folder.string()) == 0 ? why : file.string() + ": " + why + ". Merge it again.");
    }
    Series series;
    for (const FrameVersion& frame : own.made_from.align.look.frames)
        series.frames.push_back({{}, {}, {}, true, frame.id});
    result.settings = merge_settings(own.made_from.choice, series);
    stored.shooting = read_shooting_data(names.file(".tif"));
    return stored;
}

int keep_only_results(const fs::path& project, const std::vector<ResultId>& wanted) {
    std::set<std::string> numbers, gone;
    for (const ResultId id : wanted) numbers.insert(std::to_string(id.value));
    std::error_code failed;
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(project / "results", failed))
        files.push_back(entry.path());
    for (const fs::path& file : files) {
        const std::string name = file.filename().string();
        const std::size_t digits = name.find_first_not_of("0123456789");
        if (digits == 0 || digits == std::string::npos) continue;  // none of ours
        const std::string number = name.substr(0, digits);
        if (numbers.contains(number)) continue;
        fs::remove(file, failed);
        gone.insert(number);
    }
    return int(gone.size());
}

}  // namespace moorhaze
