// SPDX-License-Identifier: GPL-3.0-or-later
// Two drives, a logbook, and the whole of a tree in a form that can be compared.
#pragma once

#include <sys/stat.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <filesystem>
#include <map>
#include <set>
#include <string>

#include "core/act/check.h"
#include "core/act/execute.h"
#include "support/mounts.h"
#include "support/test_tree.h"

namespace kurvo::test {

/// Everything that a person would miss of a tree: by path below `top`, "" for itself.
inline std::map<std::string, std::string> everythingOf(const std::string& top)
{
    namespace fs = std::filesystem;
    std::map<std::string, std::string> all;
    std::map<ino_t, std::set<std::string>> links;
    const auto add = [&](const std::string& path) {
        struct stat s { };
        if (::lstat(path.c_str(), &s) != 0)
            return;
        auto text = std::to_string(s.st_mode) + " " + std::to_string(s.st_uid) + ":" + std::to_string(s.st_gid) + " " +
                    std::to_string(s.st_mtim.tv_sec) + "." + std::to_string(s.st_mtim.tv_nsec);
        const auto name = path.substr(top.size());
        if (S_ISREG(s.st_mode)) {
            text += " " + std::to_string(std::hash<std::string>()(readAll(path))) + " " + std::to_string(s.st_size);
            if (s.st_nlink > 1)
                links[s.st_ino].insert(name);
            char value[64];
            const auto n = ::getxattr(path.c_str(), "user.season", value, sizeof value);
            text += n > 0 ? " season " + std::string(value, static_cast<std::size_t>(n)) : std::string();
        } else if (S_ISLNK(s.st_mode)) {
            text += " -> " + fs::read_symlink(path).string();
        }
        all[name] = text;
    };
    add(top);
    std::error_code ignored;
    if (fs::is_directory(fs::symlink_status(top)))
        for (const auto& entry : fs::recursive_directory_iterator(top, ignored))
            add(entry.path().string());
    for (const auto& [inode, names] : links)
        for (const auto& name : names)
            all[name] += " links with " + *names.begin();
    return all;
}

/// Tells another process how far one came, so that it can be ended in the middle however fast the machine is.
class Ticker {
public:
    Ticker() { REQUIRE(::pipe(ends_) == 0); }
    ~Ticker()
    {
        for (const int end : ends_)
            if (end >= 0)
                ::close(end);
    }
    Ticker(const Ticker&) = delete;
    Ticker& operator=(const Ticker&) = delete;

    void tick()
    {
        char one = 1;
        (void)!::write(ends_[1], &one, 1);
    }
    /// In the process that waits: until there were so many, or the other has ended; then a moment more.
    void wait(unsigned ticks, unsigned microseconds)
    {
        ::close(ends_[1]);
        ends_[1] = -1;
        for (char one = 0; ticks > 0 && ::read(ends_[0], &one, 1) == 1; --ticks) { }
        ::usleep(microseconds);
    }

private:
    int ends_[2] = {-1, -1};
};

/// A place on one filesystem and a folder on another.
struct TwoDrives {
    TestFolder t;
    TmpfsMount other;
    Logbook logbook{t / "data/logbook.db"};
    ActOptions options;
    LoggedRun run;

    explicit TwoDrives(const std::string& size = "size=64m") : other(t / "other", size)
    {
        options.user = t.user();
        run.place = t / "place";
        REQUIRE(logbook.begin(run));
    }
    LoggedStep step(Action action, const std::string& path, const std::string& target = {}, bool link = false)
    {
        LoggedStep step;
        step.run = run.id;
        step.action = action;
        step.path = path;
        step.target = target;
        step.leaveLink = link;
        step.token = freshToken();
        const auto parent = openParent(path);
        REQUIRE(parent);
        REQUIRE(statEntry(parent->folder.get(), parent->name.c_str(), step.stat, StatSync::Fresh) == 0);
        std::vector<LoggedStep> one{step};
        REQUIRE(logbook.add(one));
        return one.front();
    }
    /// What nobody should find afterwards.
    std::size_t leftovers() const
    {
        std::size_t found = 0;
        std::error_code ignored;
        for (const auto& entry : std::filesystem::recursive_directory_iterator(t.path(), ignored))
            found += entry.path().filename().string().starts_with(".kurvo-") ? 1 : 0;
        return found;
    }
};

} // namespace kurvo::test
