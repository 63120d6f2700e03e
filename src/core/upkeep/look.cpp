// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/look.h"

#include <fcntl.h>
#include <sys/stat.h>

#include <algorithm>
#include <cerrno>
#include <set>

#include <fmt/format.h>

#include "core/act/check.h"
#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/find/filter.h"
#include "core/leads/gather_facts.h"
#include "core/platform/filesystem_identity.h"
#include "core/platform/trash.h"
#include "core/snapshot/catalogue.h"

namespace kurvo {
namespace {

constexpr std::size_t mostHeld = 1000;

/// Something that a rule speaks of.
struct Found {
    NodeId node = noNode; ///< noNode: of the trash
    std::string path;
    std::uint64_t bytes = 0;
    std::int64_t since = 0;
    PlannedItem planned = {}; ///< of the trash
};

class Looker {
public:
    Looker(const UpkeepRule& rule, const UpkeepFacts& facts, const UpkeepBefore& before, std::stop_token stop)
        : rule_(rule), facts_(facts), tree_(*facts.tree), before_(before), stop_(std::move(stop))
    {
    }

    UpkeepLook look()
    {
        if (waits())
            return std::move(look_);
        gather();
        const auto all = found_.size();
        keepOld();
        keepGrowing();
        const auto files = std::max<std::uint64_t>(1, tree_.sums(rootNode).files);
        look_.share = rule_.subject == UpkeepSubject::Filter
                          ? static_cast<double>(std::min<std::uint64_t>(all, files)) / static_cast<double>(files)
                          : 0;
        std::sort(found_.begin(), found_.end(), [](const Found& a, const Found& b) {
            return a.since != b.since ? a.since < b.since : a.path < b.path;
        });
        keepExcess();
        if (stop_.stop_requested())
            return {};
        choose();
        decide();
        return std::move(look_);
    }

private:
    bool acts() const { return rule_.action != UpkeepAction::Tell; }

    bool waitFor(const std::string& sentence)
    {
        look_.verdict = UpkeepVerdict::Waits;
        look_.sentence = sentence;
        return true;
    }

    bool waits()
    {
        if (!acts() || !facts_.live)
            return false;
        if (mayHang(facts_.info.filesystem))
            return waitFor(displayText(rule_.place) +
                           " is on a network drive, where others may have files open that cannot be seen from here. "
                           "Nothing is done there by a rule; it can tell.");
        if (rule_.action != UpkeepAction::Move)
            return false;
        const auto drive = askWithin(std::chrono::seconds(10), [to = rule_.to] {
            const UniqueFd fd(::open(to.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
            return fd ? "drive " + driveIdentity(fd.get()) : std::string();
        });
        if (!drive)
            return waitFor(displayText(rule_.to) + " does not answer. The rule waits for it.");
        if (drive->empty())
            return waitFor(displayText(rule_.to) + " is not there: its drive may be unplugged. The rule waits for it.");
        if (!rule_.toDrive.empty() && *drive != "drive " + rule_.toDrive)
            return waitFor("Another drive stands at " + displayText(rule_.to) +
                           " than when the rule was made. The rule waits for its own.");
        return false;
    }

    void add(NodeId node)
    {
        if (node != rootNode)
            found_.push_back({node, {}, tree_.disk(node), tree_.newest(node)});
    }

    void gather()
    {
        switch (rule_.subject) {
        case UpkeepSubject::Filter:
            return gatherByFilter();
        case UpkeepSubject::Leads:
            return gatherByLeads();
        case UpkeepSubject::Advice:
        case UpkeepSubject::Folders:
            return gatherByAdvice();
        case UpkeepSubject::Trash:
            return gatherTrash();
        }
    }

    void gatherByFilter()
    {
        const auto parsed = Filter::parse(rule_.filter);
        const auto* filter = std::get_if<Filter>(&parsed);
        if (!filter || filter->isEmpty())
            return;
        FilterContext context;
        context.now = facts_.now;
        context.owners = facts_.info.owners;
        if (context.owners.empty())
            context.owners = ownersOf(tree_);
        context.marks = facts_.marks;
        context.advice = facts_.advice;
        for (const NodeId node : matchingFiles(tree_, filter->bind(tree_, context)))
            add(node);
    }

    void gatherByLeads()
    {
        LeadFacts leadFacts;
        leadFacts.tree = facts_.tree;
        leadFacts.info = facts_.info;
        leadFacts.book = facts_.book;
        leadFacts.advice = facts_.advice;
        leadFacts.guard = facts_.guard;
        gatherLeadFacts(leadFacts, {facts_.live, facts_.live && facts_.info.place == facts_.info.mountPoint, false,
                                    facts_.snapshots, std::string()});
        const auto leads = findLeads(leadFacts, stop_);
        for (const auto* list : {&leads.leads, &leads.rest})
            for (const auto& lead : *list) {
                const auto kind = lead.id.substr(0, lead.id.find(':'));
                if (std::find(rule_.kinds.begin(), rule_.kinds.end(), kind) == rule_.kinds.end())
                    continue;
                for (const NodeId node : lead.nodes)
                    add(node);
                told_ += (told_.empty() ? "" : " ") + lead.sentence;
                if (look_.command.empty())
                    look_.command = lead.command;
            }
    }

    void gatherByAdvice()
    {
        std::set<std::uint16_t> wanted;
        const auto& rules = facts_.book->rules();
        for (std::size_t i = 0; i < rules.size(); ++i)
            if (std::find(rule_.kinds.begin(), rule_.kinds.end(), rules[i].id) != rule_.kinds.end()) {
                wanted.insert(static_cast<std::uint16_t>(i));
                if (look_.command.empty())
                    look_.command = rules[i].command;
            }
        const auto isWanted = [&](NodeId node) { return wanted.contains(facts_.advice->rules[node]); };
        tree_.forEachBelow(rootNode, [&](NodeId node) {
            if (!isWanted(node) || tree_.isFolder(node) != (rule_.subject == UpkeepSubject::Folders))
                return;
            for (NodeId above = tree_.parent(node); rule_.subject == UpkeepSubject::Folders && above != noNode;
                 above = tree_.parent(above))
                if (isWanted(above))
                    return; // it goes with that
            add(node);
        });
    }

    void gatherTrash()
    {
        const auto until = facts_.now - rule_.olderDays * daySeconds;
        if (!facts_.live)
            return;
        for (const auto& folder : existingTrashFolders(rule_.place, facts_.guard.user)) {
            const auto items = listTrash(folder);
            if (!items)
                continue;
            for (const auto& item : *items) {
                if (stop_.stop_requested())
                    return;
                // Without a note it is not known since when it lies there.
                if (item.originalPath.empty() || item.deleted > until || item.deleted <= 0)
                    continue;
                const auto path = joinPath(joinPath(folder.path, "files"), item.name);
                auto planned = readPlannedItem(path, {Action::Delete, {}, false}, stop_);
                if (planned)
                    found_.push_back({noNode, path, planned->item.disk, item.deleted, std::move(*planned)});
            }
        }
    }

    void keepOld()
    {
        if (rule_.olderDays == 0 || rule_.subject == UpkeepSubject::Trash)
            return;
        const auto until = facts_.now - rule_.olderDays * daySeconds;
        std::erase_if(found_, [&](const Found& one) { return one.since > until; });
    }

    /// By the newest snapshot that is six days older or more.
    void keepGrowing()
    {
        if (rule_.growsAWeek == 0)
            return;
        constexpr std::int64_t least = 6 * daySeconds, week = 7 * daySeconds;
        const auto entries = snapshotsOf(facts_.snapshots, {}, facts_.info);
        const auto then = std::find_if(entries.begin(), entries.end(), [&](const CatalogueEntry& entry) {
            return !entry.info.partial && facts_.now - entry.info.taken >= least;
        });
        std::vector<std::string> paths;
        for (const auto& one : found_)
            paths.push_back(tree_.path(one.node));
        const auto figures = then == entries.end() ? Result<std::vector<std::optional<EntryFigures>>>(Error{})
                                                   : readFigures(then->path, paths);
        if (!figures) {
            found_.clear();
            return;
        }
        std::vector<Found> growing;
        const auto time = static_cast<double>(facts_.now - then->info.taken);
        for (std::size_t i = 0; i < found_.size(); ++i) {
            const auto was = (*figures)[i] ? (*figures)[i]->disk : 0; // small ones are not in the index
            const auto more = found_[i].bytes > was ? static_cast<double>(found_[i].bytes - was) : 0.0;
            if (more / time * week > static_cast<double>(rule_.growsAWeek))
                growing.push_back(std::move(found_[i]));
        }
        found_ = std::move(growing);
    }

    /// Of what is over the limit of a rule, the oldest until it is not.
    void keepExcess()
    {
        std::uint64_t excess = UINT64_MAX;
        std::uint64_t sum = 0;
        for (const auto& one : found_)
            sum += one.bytes;
        if (rule_.moreThan > 0)
            excess = sum > rule_.moreThan ? sum - rule_.moreThan : 0;
        if (rule_.fullerThan > 0) {
            const auto all = static_cast<double>(facts_.capacity.used + facts_.capacity.free);
            const auto over = static_cast<double>(facts_.capacity.used) - all * rule_.fullerThan / 100;
            excess = std::min(excess, over > 0 ? static_cast<std::uint64_t>(over) : 0);
        }
        if (excess == UINT64_MAX)
            return;
        if (excess == 0)
            return found_.clear();
        if (!acts())
            return;
        limit_ = excess;
    }

    /// Why it stays; empty where nothing speaks against.
    std::string heldBy(const Found& one)
    {
        if (one.node == noNode)
            return {};
        const auto path = tree_.path(one.node);
        if (const auto protection = protectionOf(path, facts_.guard))
            return protection->reason;
        const auto& levels = facts_.advice->levels;
        std::string held;
        tree_.forEachBelow(one.node, [&](NodeId node) {
            if (!held.empty())
                return;
            const auto* mark = facts_.marks ? facts_.marks->of(node).mark : nullptr;
            if (levels[node] == AdviceLevel::LeaveAlone)
                held = displayText(tree_.path(node)) + " is one to leave alone.";
            else if (tree_.store().has(node, FlagDoor))
                held = "Another drive is mounted in it.";
            else if (tree_.store().has(node, FlagUnreadable))
                held = "Not all of it could be read.";
            else if (mark && (mark->kind == "keep" || mark->kind == "ask"))
                held = displayText(tree_.path(node)) + " is marked \"" + mark->kind + "\".";
            else if (facts_.now - tree_.store().modified(node) < youngSeconds)
                held = displayText(tree_.path(node)) + " changed within the last hour.";
        });
        if (!held.empty() || !facts_.live)
            return held;
        // A file that was unpacked or copied keeps its old date; when it came here does not.
        struct stat s { };
        if (::lstat(path.c_str(), &s) != 0)
            return errno == ENOENT ? "It is gone by now." : systemError("look at", path, errno).sentence;
        if (facts_.now - s.st_ctim.tv_sec < youngSeconds)
            return displayText(path) + " came here, or changed, within the last hour.";
        return {};
    }

    /// For good goes only what is usually safe, all of it.
    UpkeepAction actionFor(const Found& one) const
    {
        if (rule_.action != UpkeepAction::Delete || one.node == noNode)
            return rule_.action;
        bool safe = true;
        tree_.forEachBelow(one.node,
                           [&](NodeId node) { safe &= facts_.advice->levels[node] == AdviceLevel::UsuallySafe; });
        return safe ? UpkeepAction::Delete : UpkeepAction::Trash;
    }

    void choose()
    {
        std::vector<PlannedItem> outside;
        std::vector<UpkeepItem> held;
        std::vector<NodeId> nodes[4]; ///< by action
        for (auto& one : found_) {
            if (stop_.stop_requested())
                return;
            if (limit_ && look_.bytes >= *limit_)
                break;
            UpkeepItem item{
                one.node == noNode ? one.path : tree_.path(one.node), one.bytes, one.since, actionFor(one), {}};
            if (acts())
                item.held = heldBy(one);
            if (!item.held.empty()) {
                if (held.size() < mostHeld)
                    held.push_back(std::move(item));
                continue;
            }
            if (one.node == noNode)
                outside.push_back(std::move(one.planned));
            else
                nodes[static_cast<std::size_t>(item.action)].push_back(one.node);
            look_.bytes += item.bytes;
            look_.items.push_back(std::move(item));
        }
        look_.going = look_.items.size();
        look_.items.insert(look_.items.end(), std::make_move_iterator(held.begin()),
                           std::make_move_iterator(held.end()));
        if (!acts())
            return;
        Plan plan;
        constexpr std::pair<UpkeepAction, Action> intents[] = {{UpkeepAction::Trash, Action::Trash},
                                                               {UpkeepAction::Delete, Action::Delete},
                                                               {UpkeepAction::Move, Action::Move}};
        for (const auto& [does, action] : intents)
            plan.addAll(tree_, nodes[static_cast<std::size_t>(does)], facts_.guard,
                        {action, action == Action::Move ? rule_.to : std::string(), false});
        look_.plan = planFileOf(plan, tree_);
        look_.plan.host = facts_.info.host;
        look_.plan.place = rule_.place;
        look_.plan.written = facts_.info.taken;
        look_.plan.items.insert(look_.plan.items.end(), std::make_move_iterator(outside.begin()),
                                std::make_move_iterator(outside.end()));
    }

    void decide()
    {
        const auto items = formatItems(look_.going, "item") + ", " + formatBytes(look_.bytes);
        if (look_.going == 0) {
            look_.sentence = look_.items.empty() ? "There is nothing to do." : "All that was found stays for now.";
            if (rule_.subject == UpkeepSubject::Leads && !acts() && !told_.empty()) {
                look_.verdict = UpkeepVerdict::Tells; // of what no entry of the tree stands for
                look_.sentence = told_;
            }
            return;
        }
        if (!acts()) {
            look_.verdict = UpkeepVerdict::Tells;
            look_.sentence = !told_.empty() ? told_ : items + ". The oldest: " + displayText(look_.items.front().path);
            return;
        }
        look_.verdict = UpkeepVerdict::Ready;
        look_.sentence = items + ".";
        if (before_.agreed)
            return;
        constexpr std::uint64_t little = 100 << 20;
        const auto ask = [&](const std::string& why) {
            look_.verdict = UpkeepVerdict::Asks;
            look_.sentence = items + ": " + why;
        };
        constexpr double nearlyAll = 0.9;
        if (look_.bytes > rule_.most)
            ask("more than the " + formatBytes(rule_.most) + " that it may do in a run.");
        else if (look_.share > nearlyAll && before_.share <= nearlyAll)
            ask(fmt::format("its filter finds nearly all files of {}.", displayText(rule_.place)));
        else if (before_.mostBytes > 0 && look_.bytes > little && look_.bytes / 10 > before_.mostBytes)
            ask("more than ten times what it ever did.");
    }

    const UpkeepRule& rule_;
    const UpkeepFacts& facts_;
    const FileTree& tree_;
    const UpkeepBefore& before_;
    const std::stop_token stop_;
    UpkeepLook look_;
    std::vector<Found> found_;
    std::optional<std::uint64_t> limit_; ///< so many bytes are enough
    std::string told_;
};

} // namespace

UpkeepLook lookAt(const UpkeepRule& rule, const UpkeepFacts& facts, const UpkeepBefore& before, std::stop_token stop)
{
    return Looker(rule, facts, before, std::move(stop)).look();
}

} // namespace kurvo
