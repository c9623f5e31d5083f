// SPDX-License-Identifier: GPL-3.0-or-later
// The manual's page of the command line says what the program's own help says: every option of every command.
#include <catch2/catch.hpp>
#include <cstdlib>
#include <sstream>

#include "tests/support/scratch.h"

using namespace moorhaze;

namespace {

const char* const kBegin =
    "<!-- From here on as --help has it: MOORHAZE_WRITE_MANUAL=1 writes it anew. -->\n";

/// One row an option: "  -o,--output TEXT REQUIRED   Picture to write", or its words on the next line where
/// the left column is long.
std::string options_of(const std::string& help) {
    constexpr std::size_t kWords = 30;
    std::istringstream lines(help);
    std::ostringstream table;
    std::string line;
    while (std::getline(lines, line)) {
        const std::size_t begin = line.find_first_not_of(' ');
        if (begin != 2 || line[2] != '-') continue;
        std::string words = line.size() > kWords && line[kWords - 1] == ' ' ? line.substr(kWords) : "";
        if (words.empty()) {
            REQUIRE(std::getline(lines, words));
            words.erase(0, words.find_first_not_of(' '));
        }
        const std::string names = line.substr(2, line.find(' ', 2) - 2);
        for (std::size_t at = 0; (at = words.find('|', at)) != std::string::npos; at += 2)
            words.replace(at, 1, "\\|");
        table << "| `" << names << "` | " << words << " |\n";
    }
    return table.str();
}

std::string help_of(const std::string& command) {
    const test::Ran ran = test::run(std::string(MOORHAZE_CLI) + " " + command + " --help");
    REQUIRE(ran.code == 0);
    return ran.text;
}

/// The commands that the program lists.
std::vector<std::string> commands() {
    std::istringstream lines(help_of(""));
    std::vector<std::string> names;
    bool listed = false;
    for (std::string line; std::getline(lines, line);) {
        if (line.starts_with("Subcommands:"))
            listed = true;
        else if (listed && line.starts_with("  ") && line.size() > 2 && line[2] != ' ')
            names.push_back(line.substr(2, line.find(' ', 2) - 2));
    }
    return names;
}

}  // namespace

TEST_CASE("the manual has every option of every command, in the program's own words", "[cli][manual]") {
    const auto names = commands();
    REQUIRE(names.size() == 9);
    std::ostringstream pages;
    for (const std::string& name : names) {
        const std::string help = help_of(name);
        const std::string options = options_of(help);
        CHECK(options.find("| `-h,--help` |") == 0);
        pages << "\n## " << name << "\n\n"
              << help.substr(0, help.find('\n')) << ".\n\n| option | what it does |\n|---|---|\n"
              << options.substr(options.find('\n') + 1);
    }
    const std::filesystem::path file = std::filesystem::path(MOORHAZE_MANUAL) / "command-line.md";
    const std::string page = test::read_all(file);
    const std::size_t begin = page.find(kBegin);
    REQUIRE(begin != std::string::npos);
    const std::string wanted = page.substr(0, begin) + kBegin + pages.str();
    if (std::getenv("MOORHAZE_WRITE_MANUAL")) test::write_all(file, wanted);
    CHECK(page == wanted);
}
