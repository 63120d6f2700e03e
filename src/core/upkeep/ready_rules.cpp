// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/upkeep/rule.h"

namespace kurvo {
namespace {

constexpr std::uint64_t gibibyte = std::uint64_t{1} << 30;

UpkeepRule ready(const char* name, const char* title, const std::string& place, UpkeepSubject subject,
                 std::vector<std::string> kinds, UpkeepAction action, int olderDays, std::uint64_t most = 0)
{
    UpkeepRule rule;
    rule.name = name;
    rule.title = title;
    rule.place = place;
    rule.subject = subject;
    rule.kinds = std::move(kinds);
    rule.action = action;
    rule.olderDays = olderDays;
    rule.most = most;
    return rule;
}

} // namespace

std::vector<UpkeepRule> readyUpkeepRules(const UserFolders& user)
{
    using Subject = UpkeepSubject;
    using Do = UpkeepAction;
    std::vector<UpkeepRule> rules;
    rules.push_back(
        ready("old-trash", "Trash older than 30 days", user.home, Subject::Trash, {}, Do::Delete, 30, 100 * gibibyte));
    auto caches = ready("browser-caches", "Thumbnails and browser caches over 2 GiB", user.home, Subject::Advice,
                        {"thumbnails", "browser-cache-gecko", "browser-cache-blink", "browser-worker-cache"},
                        Do::Delete, 0, 20 * gibibyte);
    caches.moreThan = 2 * gibibyte;
    rules.push_back(std::move(caches));
    rules.push_back(ready("build-output", "Build output not touched for 30 days", user.home, Subject::Folders,
                          {"node-modules", "rust-target", "cmake-build", "python-bytecode"}, Do::Trash, 30,
                          50 * gibibyte));
    rules.push_back(ready("core-dumps", "Memory images of crashed programs older than 14 days", user.home,
                          Subject::Advice, {"core-dumps"}, Do::Trash, 14, 50 * gibibyte));
    rules.push_back(ready("installers", "Installers and disk images not touched for 60 days", user.home,
                          Subject::Advice, {"installers", "install-media", "appimages"}, Do::Tell, 60));
    rules.push_back(ready("old-kernels", "Kernels that are neither the newest nor the one that runs", "/",
                          Subject::Leads, {"old-kernels"}, Do::Tell, 0));
    rules.push_back(ready("package-caches", "Packages kept after installing", "/", Subject::Leads,
                          {"apt-archives", "dnf-cache", "zypper-cache", "pacman-cache", "package-cache"}, Do::Tell, 0));
    auto logs =
        ready("growing-logs", "Logs that grow by more than 1 GiB a week", "/", Subject::Filter, {}, Do::Tell, 0);
    logs.filter = "role:logs size>100M";
    logs.growsAWeek = gibibyte;
    rules.push_back(std::move(logs));
    return rules;
}

} // namespace kurvo
