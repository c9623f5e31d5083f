// SPDX-License-Identifier: GPL-3.0-or-later
// A set on a real Slurm: a controller and two node daemons on this machine, started for the test.
#include <catch2/catch.hpp>
#include <chrono>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/files/picture_file.h"
#include "tests/support/card_files.h"

using namespace moorhaze;
namespace fs = std::filesystem;

namespace {

/// Started with its making, stopped at its end; a cluster that does not start fails the test.
class Cluster {
  public:
    Cluster() {
        const auto started = test::run(std::string(MOORHAZE_SLURM_CLUSTER) + " start " + path());
        INFO(started.text);
        REQUIRE(started.code == 0);
        setenv("SLURM_CONF", (scratch_ / "slurm" / "slurm.conf").c_str(), 1);
    }
    ~Cluster() {
        test::run(std::string(MOORHAZE_SLURM_CLUSTER) + " stop " + path());
        unsetenv("SLURM_CONF");
    }
    Cluster(const Cluster&) = delete;
    Cluster& operator=(const Cluster&) = delete;

    /// The job that runs on a node, waited for; empty: none came.
    std::string job_on(const std::string& node, int seconds = 60) const {
        for (int i = 0; i < 20 * seconds; ++i) {
            const std::string text = test::run("squeue --noheader -w " + node + " -t RUNNING -o %A").text;
            if (!text.empty()) return text.substr(0, text.find_first_of(" \n"));
            std::this_thread::sleep_for(std::chrono::milliseconds(50));
        }
        return {};
    }
    /// Ends a node's daemon and all that its job has started, as if its machine were switched off.
    void lose_node(const std::string& name, const std::string& job) const {
        test::run(
            "end() { for child in $(pgrep -P $1); do end $child; done; kill -9 $1; }; "
            "kill -9 $(cat " +
            path() + "/slurmd-" + name +
            ".pid); "
            "for step in $(pgrep -f '^slurmstepd: \\[" +
            job +
            "\\.'); do end $step; done; "
            "scontrol update nodename=" +
            name + " state=down reason=test");
    }
    std::string told_of(const std::string& job) const { return test::run("scontrol show job " + job).text; }
    bool wait_until_empty(int seconds = 120) const {
        for (int i = 0; i < 5 * seconds; ++i) {
            if (test::run("squeue --noheader").text.empty()) return true;
            std::this_thread::sleep_for(std::chrono::milliseconds(200));
        }
        return false;
    }

  private:
    std::string path() const { return (scratch_ / "slurm").string(); }
    test::Scratch scratch_;
};

constexpr const char* kClusterRecipe = R"({"moorhaze_recipe": 1, "area": "reference",
    "alignment": {"as_they_lie": true}, "merge": [{"method": "depth"}],
    "hand_over": {"outputs": [{"format": "tiff", "bits": 16, "name": "{series}"}]},
    "doubts": {"gap_steps": 1000}})";

}  // namespace

TEST_CASE("a set on a cluster ends in the same pixels as on one machine, also when a node is lost",
          "[cli][sets][slurm]") {
    const test::Scratch scratch;
    test::write_card(scratch / "the card", {"bog cotton", "lichen", "it's moss"}, {120, 80}, 4);
    test::write_all(scratch / "recipe.json", kClusterRecipe);
    const auto run = [&](const std::string& out, const std::string& more) {
        return test::run(std::string(MOORHAZE_CLI) + " run " + (scratch / "recipe.json").string() + " '" +
                         (scratch / "the card").string() + "' --out '" + (scratch / out).string() + "' " +
                         more);
    };
    const auto pictures = [&](const std::string& out) {
        auto contents = test::contents_of(scratch / out);
        std::erase_if(contents, [](const auto& file) { return file.first.starts_with("moorhaze-set"); });
        return contents;
    };
    REQUIRE(run("here", "--quiet").code == 0);

    // Without a cluster it is said what to do. (sbatch waits a minute for a file that is not there at all.)
    test::write_all(scratch / "none.conf", "");
    setenv("SLURM_CONF", (scratch / "none.conf").c_str(), 1);
    const auto without = run("nowhere", "--slurm --quiet");
    CHECK(without.code == 1);
    CHECK_THAT(without.text, Catch::Contains("Slurm does not take the job"));

    const Cluster cluster;
    const auto submitted = run("on the cluster", "--slurm --quiet");
    INFO(submitted.text);
    REQUIRE(submitted.code == 0);
    CHECK_THAT(submitted.text, Catch::Contains("3 series submitted") && Catch::Contains("squeue --jobs=") &&
                                   Catch::Contains("scancel "));
    REQUIRE(cluster.wait_until_empty());
    CHECK(pictures("on the cluster") == pictures("here"));
    const auto outcome =
        nlohmann::json::parse(test::read_all(scratch / "on the cluster" / "moorhaze-set" / "outcome.json"));
    REQUIRE(outcome["series"].size() == 3);
    for (const auto& own : outcome["series"]) CHECK(own["state"] == "done");
    CHECK_THAT(run("on the cluster", "--slurm --quiet").text, Catch::Contains("done already"));

    // A node dies while a task runs on it: that is begun anew on the other one. Series large enough to be
    // caught at work.
    fs::remove_all(scratch / "the card");
    test::write_card(scratch / "the card", {"bog cotton", "lichen", "it's moss"}, {480, 320}, 12);
    REQUIRE(run("here, large", "--quiet").code == 0);
    const auto again = run("with a loss", "--slurm --quiet");
    INFO(again.text);
    REQUIRE(again.code == 0);
    const std::string job = cluster.job_on("n2");
    REQUIRE_FALSE(job.empty());
    cluster.lose_node("n2", job);
    REQUIRE(cluster.wait_until_empty());
    CHECK_THAT(cluster.told_of(job), Catch::Contains("Restarts=1") && Catch::Contains("NodeList=n1"));
    CHECK(pictures("with a loss") == pictures("here, large"));
}
