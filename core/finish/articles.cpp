// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/articles.h"

#include <algorithm>
#include <fstream>
#include <iterator>
#include <vector>

#include "core/work/errors.h"
#include "core/work/utf8.h"

namespace moorhaze {
namespace {

using Records = std::vector<std::vector<std::string>>;

std::string without_blanks(const std::string& text) {
    const auto first = text.find_first_not_of(" \t\r\n"), last = text.find_last_not_of(" \t\r\n");
    return first == std::string::npos ? std::string() : text.substr(first, last + 1 - first);
}

/// RFC 4180. A quote that is never closed ends with the text.
Records records_of(const std::string& text, char separator) {
    Records records;
    std::vector<std::string> record;
    std::string field;
    bool in_quotes = false, was_quoted = false;
    const auto end_field = [&] {
        record.push_back(was_quoted ? field : without_blanks(field));
        field.clear();
        was_quoted = false;
    };
    const auto end_record = [&] {
        end_field();
        if (record.size() > 1 || !record[0].empty()) records.push_back(std::move(record));
        record.clear();
    };
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char letter = text[i];
        if (in_quotes) {
            if (letter != '"')
                field += letter;
            else if (i + 1 < text.size() && text[i + 1] == '"')
                field += text[++i];
            else
                in_quotes = false;
        } else if (letter == '"' && without_blanks(field).empty()) {
            field.clear();
            in_quotes = was_quoted = true;
        } else if (letter == separator) {
            end_field();
        } else if (letter == '\n') {
            end_record();
        } else if (!was_quoted || (letter != ' ' && letter != '\r')) {
            field += letter;
        }
    }
    end_record();
    return records;
}

std::string text_of(const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    if (!in) throw FileError(file.string() + ": cannot be read. Check that it exists and may be read.");
    const std::string bytes{std::istreambuf_iterator<char>(in), {}};
    if (const auto text = utf8_of(bytes)) return *text;
    throw FileError(file.string() + ": is not in UTF-8. Save the table as text in UTF-8.");
}

}  // namespace

std::map<std::string, std::string> read_articles(const std::filesystem::path& file) {
    const std::string text = text_of(file);
    Records best;
    std::ptrdiff_t most = 0;
    for (const char separator : {'\t', ';', ','}) {
        Records records = records_of(text, separator);
        const auto parted =
            std::count_if(records.begin(), records.end(), [](const auto& own) { return own.size() > 1; });
        if (parted > most) most = parted, best = std::move(records);
    }
    std::map<std::string, std::string> articles;
    for (const auto& record : best)
        if (record.size() > 1 && !record[0].empty() && !record[1].empty()) articles[record[0]] = record[1];
    if (articles.empty())
        throw FileError(file.string() +
                        ": names no series. It takes lines of the series' name, a comma and the number.");
    return articles;
}

std::string article_of(const HandOver& own, const std::string& series) {
    if (!own.article.empty() || own.article_list.empty()) return own.article;
    const auto articles = read_articles(own.article_list);
    const auto found = articles.find(series);
    return found == articles.end() ? std::string() : found->second;
}

}  // namespace moorhaze
