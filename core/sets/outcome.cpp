// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/outcome.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <fstream>
#include <sstream>

#include "core/files/safe_write.h"
#include "core/project/decisions_json.h"
#include "core/sets/html.h"
#include "core/sets/set_paths.h"
#include "core/work/json_text.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;
using Json = DecisionJson;

fs::path list_file(const fs::path& folder) {
    return folder / "set.json";
}

int count_of(const std::vector<SeriesRecord>& records, SeriesState state) {
    return int(std::count_if(records.begin(), records.end(),
                             [&](const SeriesRecord& own) { return own.state == state; }));
}

std::string page_of(const fs::path& folder, const std::vector<SeriesRecord>& records) {
    std::ostringstream html;
    html << "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\">"
            "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">"
            "<title>Outcome of a set</title>\n<style>\n"
            "body{font:16px/1.45 system-ui,sans-serif;margin:2rem auto;max-width:70rem;padding:0 1rem;"
            "background:#efefed;color:#222}\n"
            "h1{font-size:1.3rem;margin:0 0 1rem}\n"
            "table{border-collapse:collapse;width:100%}\n"
            "th{text-align:left;font-weight:600;border-bottom:2px solid #999;padding:.3rem .6rem}\n"
            "td{border-bottom:1px solid #ccc;padding:.5rem .6rem;vertical-align:top;"
            "font-variant-numeric:tabular-nums}\n"
            "img{display:block;max-width:10rem;max-height:8rem}\n"
            "ul{margin:0;padding-left:1.1rem}\n"
            ".failed b{color:#8d2020}.look-at-this b{color:#7a4a00}\n"
            "@media(prefers-color-scheme:dark){body{background:#262626;color:#e4e4e2}"
            ".failed b{color:#ff9d92}.look-at-this b{color:#f0bb5c}td{border-color:#444}}\n"
            "</style></head><body>\n<h1>"
         << in_html(summary_of(records))
         << "</h1>\n<table><thead><tr><th>Picture</th><th>Series</th><th>State</th><th>Frames</th>"
            "<th>Time</th><th>Files and remarks</th></tr></thead><tbody>\n";
    for (const SeriesRecord& own : records) {
        const fs::path small = SetPaths(folder).small_picture(own.name);
        std::error_code unknown;
        html << "<tr class=\"" << name_of(own.state) << "\"><td>";
        if (own.is_made() && fs::exists(small, unknown)) {
            const std::string link = as_link(small.lexically_relative(folder).generic_string());
            html << "<img src=\"" << link << "\" alt=\"" << in_html(own.name)
                 << ", merged\" loading=\"lazy\">";
        }
        html << "</td><td>" << in_html(own.name) << "</td><td><b>" << words_for(own.state) << "</b></td><td>"
             << own.merged << " of " << own.frames << "</td><td>"
             << (own.seconds.empty() ? std::string() : duration_in_words(own.all_seconds()))
             << "</td><td><ul>\n";
        for (const std::string& reason : own.reasons) html << "<li><b>" << in_html(reason) << "</b></li>\n";
        for (const RecordedFile& file : own.files)
            if (own.is_made())
                html << "<li><a href=\"../" << as_link(file.file) << "\">" << in_html(file.file) << "</a>, "
                     << own.width << "×" << own.height << ", " << words("%.1f MB", double(file.bytes) / 1e6)
                     << "</li>\n";
        if (!own.project.empty()) html << "<li>Opens in the window: " << in_html(own.project) << "</li>\n";
        for (const std::string& warning : own.warnings) html << "<li>" << in_html(warning) << "</li>\n";
        html << "</ul></td></tr>\n";
    }
    html << "</tbody></table>\n</body></html>\n";
    return html.str();
}

Json outcome_json(const fs::path& folder, const std::vector<SeriesRecord>& records) {
    Json json{{"summary", summary_of(records)},
              {"folder", fs::absolute(folder.parent_path()).lexically_normal().string()},
              {"series", Json::array()}};
    for (const SeriesRecord& own : records) {
        Json entry = parsed_json(json_of(own));
        entry.erase("moorhaze_series");
        entry.erase("made_of");
        json["series"].push_back(std::move(entry));
    }
    return json;
}

/// Two runs into one place each add their series to the list: one after the other. Where there are no locks
/// nothing is held.
class ListLock {
  public:
    explicit ListLock(const fs::path& folder)
        : handle_(open((folder / "set.lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0644)) {
        while (handle_ >= 0 && flock(handle_, LOCK_EX) != 0 && errno == EINTR) {
        }
    }
    ListLock(const ListLock&) = delete;
    ListLock& operator=(const ListLock&) = delete;
    ~ListLock() {
        if (handle_ >= 0) close(handle_);
    }

  private:
    int handle_ = -1;
};

}  // namespace

void write_set_list(const SetPlan& plan) {
    const fs::path folder = set_folder(plan.out);
    SetPaths(folder).make();
    const ListLock lock(folder);
    std::map<std::string, SeriesRecord> series;
    try {
        for (const SeriesRecord& own : read_records(folder)) series[own.name] = own;
    } catch (const FileError&) {
        // The first run here.
    }
    for (const SetSeries& own : plan.series) {
        SeriesRecord& record = series[own.name];
        record.name = own.name;
        record.number = own.number;
        record.frames = int(own.frames.size());
    }
    Json json{{"moorhaze_set", 1}, {"series", Json::array()}};
    for (const auto& [name, own] : series)
        json["series"].push_back({{"name", name}, {"number", own.number}, {"frames", own.frames}});
    write_text_file(list_file(folder), json_text(json, 1) + "\n", true);
}

std::vector<SeriesRecord> read_records(const fs::path& folder) {
    std::map<std::string, SeriesRecord> known;
    if (std::ifstream in(list_file(folder)); in) {
        try {
            const Json list = parsed_json(in);
            for (const Json& own : list.at("series")) {
                SeriesRecord record;
                own.at("name").get_to(record.name);
                own.at("number").get_to(record.number);
                own.at("frames").get_to(record.frames);
                known[record.name] = record;
            }
        } catch (const nlohmann::json::exception& error) {
            throw FileError(list_file(folder).string() + ": is damaged (" + error.what() +
                            "). Run the set again.");
        }
    }
    for (const SeriesRecord& own : all_records(folder)) known[own.name] = own;
    if (known.empty())
        throw FileError(folder.string() + ": holds no set that was run. Name the place of its pictures.");
    std::vector<SeriesRecord> records;
    for (auto& [name, own] : known) records.push_back(std::move(own));
    std::stable_sort(records.begin(), records.end(), [](const SeriesRecord& one, const SeriesRecord& other) {
        return one.number < other.number;
    });
    return records;
}

std::string summary_of(const std::vector<SeriesRecord>& records) {
    const int doubtful = count_of(records, SeriesState::doubtful);
    const int failed = count_of(records, SeriesState::failed);
    const int made = count_of(records, SeriesState::done) + doubtful;
    std::string text = std::to_string(made) + " of " + std::to_string(records.size()) + " series done";
    if (doubtful > 0) text += ", " + std::to_string(doubtful) + " to look at";
    if (failed > 0) text += ", " + std::to_string(failed) + " failed";
    return text;
}

std::string table_of(const std::vector<SeriesRecord>& records) {
    std::size_t widest = 6;
    for (const SeriesRecord& own : records) widest = std::max(widest, own.name.size());
    std::ostringstream text;
    const std::string indent(5 + widest + 2, ' ');
    for (const SeriesRecord& own : records) {
        text << (own.number < 10    ? "  "
                 : own.number < 100 ? " "
                                    : "")
             << own.number << "  " << printable(own.name) << std::string(widest - own.name.size() + 2, ' ')
             << words_for(own.state);
        if (own.is_made()) {
            text << ", " << own.merged << " of " << own.frames << " frames, "
                 << duration_in_words(own.all_seconds());
            for (const RecordedFile& file : own.files) text << ", " << printable(file.file);
        }
        text << "\n";
        for (const std::string& reason : own.reasons) text << indent << "- " << printable(reason) << "\n";
        if (!own.project.empty()) text << indent << "  open in the window: " << own.project << "\n";
    }
    text << summary_of(records) << "\n";
    return text.str();
}

void write_outcome(const fs::path& folder) {
    const std::vector<SeriesRecord> records = read_records(folder);
    write_text_file(folder / "outcome.txt", table_of(records), true);
    write_text_file(folder / "outcome.json", json_text(outcome_json(folder, records), 1) + "\n", true);
    write_text_file(folder / "outcome.html", page_of(folder, records), true);
}

std::string duration_in_words(double seconds) {
    const long whole = std::lround(seconds);
    if (whole < 60) return words("%.0f s", double(whole));
    if (whole < 3600) return std::to_string(whole / 60) + " min " + std::to_string(whole % 60) + " s";
    return std::to_string(whole / 3600) + " h " + std::to_string(whole / 60 % 60) + " min";
}

}  // namespace moorhaze
