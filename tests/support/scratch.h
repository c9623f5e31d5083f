// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>

namespace moorhaze::test {

/// A folder of its own for one test; removed at the end.
class Scratch {
  public:
    Scratch() : Scratch(std::filesystem::temp_directory_path()) {}
    /// @param within  a folder that is there.
    explicit Scratch(const std::filesystem::path& within);
    ~Scratch();
    Scratch(const Scratch&) = delete;
    Scratch& operator=(const Scratch&) = delete;
    std::filesystem::path operator/(const std::string& name) const { return folder_ / name; }
    const std::filesystem::path& folder() const { return folder_; }

  private:
    std::filesystem::path folder_;
};

std::string read_all(const std::filesystem::path& file);
void write_all(const std::filesystem::path& file, const std::string& bytes);

/// Runs a shell command; its exit code, standard output and error output together.
struct Ran {
    int code = -1;
    std::string text;
};
Ran run(const std::string& command);

}  // namespace moorhaze::test
