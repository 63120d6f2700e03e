// SPDX-License-Identifier: GPL-3.0-or-later
// Places that come together as their scans end.
#include <catch2/catch.hpp>

#include <set>
#include <thread>

#include "app/models_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// Scans as usual, but comes back from some places only once they are let go.
struct HeldScans {
    struct State {
        std::mutex mutex;
        std::set<std::string> held;
    };
    std::shared_ptr<State> state = std::make_shared<State>();

    void hold(const std::string& path) const
    {
        const std::lock_guard lock(state->mutex);
        state->held.insert(path);
    }
    void letGo(const std::string& path) const
    {
        const std::lock_guard lock(state->mutex);
        state->held.erase(path);
    }
    app::ScanJobs::Scanner scanner() const
    {
        return [state = state](const std::string& path, const ScanOptions& options, std::stop_token stop,
                               ScanProgress* progress) {
            auto result = scan(path, options, stop, progress);
            for (;; std::this_thread::sleep_for(std::chrono::milliseconds(5))) {
                const std::lock_guard lock(state->mutex);
                if (!state->held.contains(path) || stop.stop_requested())
                    return result;
            }
        };
    }
};

} // namespace

TEST_CASE("two places are shown together at once, and a third comes to them when its scan has ended",
          "[model][together]")
{
    ModelsOf w;
    for (const char* file : {"one/a", "two/b", "three/c"})
        w.t.file(file, 5000);
    const std::vector<std::string> paths{w.t / "two", w.t / "one", w.t / "three"};
    const HeldScans scans;
    w.models.scans.setScanner(scans.scanner());
    w.models.scans.setDiskOf([](const std::string& path) { return path; }); // each has its own
    scans.hold(w.t / "two");
    w.models.together.joinOnceOpen(paths, "All of them");
    for (const auto& path : paths)
        w.models.scans.scanFolder(path);
    const auto together = [&]() -> const app::Place* {
        for (const auto& place : w.models.places.places())
            if (place->isTogether())
                return place.get();
        return nullptr;
    };
    REQUIRE(ModelsOf::until([&] { return together() != nullptr; }));
    const auto id = together()->id;
    CHECK(together()->parts.size() == 2);
    CHECK(together()->tree->sums(rootNode).files == 2);
    CHECK(together()->setName.empty()); // it is not all of the set
    REQUIRE(ModelsOf::until([&] { return w.heard("two comes to these when its scan has ended"); }));

    SECTION("it comes")
    {
        // What is planned there meanwhile stays so.
        w.models.places.bringUp(*together());
        w.models.plan.planTrash(w.node(w.t / "one/a"));
        scans.letGo(w.t / "two");
        REQUIRE(ModelsOf::until([&] { return together()->parts.size() == 3; }));
        w.settle();
        CHECK(together()->id == id);
        CHECK(together()->tree->sums(rootNode).files == 3);
        CHECK(together()->setName == "All of them");
        CHECK(together()->parts[0].info.place == w.t / "two"); // in the order in which they were asked for
        CHECK(together()->plan.items().size() == 1);
    }
    SECTION("it is stopped")
    {
        w.models.scans.stopAll();
        w.settle();
        CHECK(together()->parts.size() == 3); // with what was found of it
    }
    SECTION("what was shown is closed before")
    {
        const auto& places = w.models.places.places();
        for (std::size_t i = 0; i < places.size(); ++i)
            if (places[i]->id == id) {
                w.models.places.closePlace(i);
                break;
            }
        scans.letGo(w.t / "two");
        w.settle();
        CHECK(together() == nullptr);
    }
    SECTION("asked for again, it is the same place")
    {
        scans.letGo(w.t / "two");
        REQUIRE(ModelsOf::until([&] { return together()->parts.size() == 3; }));
        w.settle();
        w.models.together.joinOnceOpen(paths, "All of them");
        for (const auto& path : paths)
            w.models.scans.scanFolder(path);
        w.settle();
        CHECK(std::count_if(w.models.places.places().begin(), w.models.places.places().end(),
                            [](const auto& place) { return place->isTogether(); }) == 1);
        CHECK(together()->id == id);
    }
}
