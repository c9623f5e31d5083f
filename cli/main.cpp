// SPDX-License-Identifier: GPL-3.0-or-later
#include <filesystem>
#include <iostream>

#include "cli/commands.h"

int main(int argc, char** argv) {
    using namespace moorhaze;
    cli::stopped_by_signals();
    CLI::App app{"Moorhaze: merges focus-bracketed series of close-up pictures.", "moorhaze-cli"};
    app.require_subcommand(1);
    app.set_version_flag("--version", "moorhaze-cli 0.1.0");
    app.footer("Exit code: 0 done, 1 the work failed, 2 wrong use.");
    cli::Common common;
    for (CLI::App* command :
         {cli::add_inspect(app, common), cli::add_align(app, common), cli::add_merge(app, common),
          cli::add_mend(app, common), cli::add_finish(app, common), cli::add_run(app, common),
          cli::add_spin(app, common), cli::add_plan(app, common), cli::add_simulate(app, common)})
        command->add_flag("--quiet", common.quiet, "No progress and no notes on stderr");
    // The library takes "[b]" for a list that holds b. A file of that name is named otherwise.
    std::vector<std::string> named;
    named.reserve(std::size_t(argc));
    std::vector<char*> words;
    for (int i = 0; i < argc; ++i) {
        const std::string word = argv[i];
        std::error_code unknown;
        const bool is_such_file =
            word.starts_with('[') && word.ends_with(']') && i > 0 && std::filesystem::exists(word, unknown);
        named.push_back(is_such_file ? "./" + word : word);
        words.push_back(named.back().data());
    }
    try {
        app.parse(int(words.size()), words.data());
        // What a full device did not take is not there.
        std::cout.flush();
        if (!std::cout || std::fflush(stdout) != 0)
            throw Error("what was to be printed could not be written");
    } catch (const CLI::ParseError& error) {
        const int code = app.exit(error, std::cout, std::cerr);
        return code == 0 ? 0 : 2;
    } catch (const Cancelled&) {
        std::cerr << "moorhaze-cli: stopped\n";
        return 1;
    } catch (const std::bad_alloc&) {
        std::cerr << "moorhaze-cli: there is not enough memory. Close other programs, or give --memory.\n";
        return 1;
    } catch (const BadParameter& error) {
        std::cerr << "moorhaze-cli: " << error.what() << "\n";
        return 2;
    } catch (const std::exception& error) {
        std::cerr << "moorhaze-cli: " << error.what() << "\n";
        return 1;
    }
    return 0;
}
