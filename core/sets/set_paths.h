// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <optional>
#include <string>

/// Every name in a set's own folder, `moorhaze-set` beside its pictures. Names are made here from a series'
/// name and are never taken from a file: records come from other people and other machines.
namespace moorhaze {

class SetPaths {
  public:
    /// @param folder  set_folder().
    explicit SetPaths(std::filesystem::path folder) : folder_(std::move(folder)) {}

    /// A series' name as the name of a file: what can be read of it, at most 180 bytes, and ten digits of its
    /// bytes' hash (XXH3), so that `knob` and `knob.`, or `kn:ob` and `kn-ob`, never meet in one file.
    static std::string name_of(const std::string& series);

    const std::filesystem::path& folder() const { return folder_; }
    std::filesystem::path records() const { return folder_ / "series"; }
    std::filesystem::path record(const std::string& series) const { return of_series(series, ".json"); }
    std::filesystem::path small_picture(const std::string& series) const { return of_series(series, ".jpg"); }
    std::filesystem::path claim(const std::string& series) const { return of_series(series, ".claim"); }
    /// The merge of a turntable's view.
    std::filesystem::path view(const std::string& series) const;
    std::filesystem::path projects() const { return folder_ / "projects"; }
    /// Where a project is put together before it gets its place.
    std::filesystem::path unfinished_project(const std::string& series) const;
    /// The first free place for a series' project: "NAME", "NAME-2", ...
    std::filesystem::path free_project(const std::string& series) const;
    /// The project that a record names, if that is a name which free_project() could have given; otherwise
    /// nothing.
    /// @param recorded  relative to the set folder's parent.
    std::optional<std::filesystem::path> recorded_project(const std::string& series,
                                                          const std::string& recorded) const;

    /// Makes the folders, and refuses any of them that is a symbolic link: what lies behind one is not the
    /// set's.
    /// @throws FileError.
    void make() const;
    /// Takes a folder of the set away: renamed first, so that it is gone at once or not at all, then removed.
    /// @param inside  beneath projects(), and no link; others are left alone.
    void retire(const std::filesystem::path& inside) const;

  private:
    std::filesystem::path of_series(const std::string& series, const char* ending) const;
    std::filesystem::path folder_;
};

/// True for a name that stays beneath the folder it is joined to: relative, without "..", not empty.
bool stays_beneath(const std::filesystem::path& name);

}  // namespace moorhaze
