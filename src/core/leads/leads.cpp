// SPDX-License-Identifier: GPL-3.0-or-later
// Ranking: the candidate that promises most is taken, what lies in it is no candidate's any more, and so on. What is
// left then is asked once more for what is old, hidden or grows.
#include "core/leads/leads.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <iterator>
#include <mutex>
#include <queue>
#include <unordered_map>

#include "core/base/team.h"
#include "core/base/text.h"
#include "core/compare/place_history.h"
#include "core/leads/candidates.h"
#include "core/plan/come_free.h"
#include "core/platform/extents.h"
#include "core/tree/stretches.h"

namespace kurvo {
namespace {

double certaintyOf(AdviceLevel level)
{
    static constexpr std::array weights{0.03, 0.7, 0.35, 1.0}; // leave alone, own tool, your call, usually safe
    return weights[static_cast<std::size_t>(level)];
}

/// Which lead has what.
class Shares {
public:
    explicit Shares(const FileTree& tree)
        : tree_(tree), store_(tree.store()), below_(tree.extent().folders), of_(tree.extent().nodes, none)
    {
    }

    static constexpr std::uint32_t none = UINT32_MAX;

    void setApart(const std::vector<Candidate>& all)
    {
        apart_.clear();
        for (const auto& candidate : all)
            for (const auto& [node, item] : candidate.apart)
                apart_[node] = item;
    }

    /// The number of the lead that has a node, or none.
    std::uint32_t leadOf(NodeId node) const
    {
        NodeId spared = noNode; // the item that what was passed is no part of; those above it spare that one in turn
        for (NodeId at = node; at != noNode; at = tree_.parent(at)) {
            if (of_[at] != none && at != spared)
                return of_[at];
            if (const auto found = apart_.empty() ? apart_.end() : apart_.find(at); found != apart_.end())
                spared = found->second;
        }
        return none;
    }

    /// What of a candidate no lead has; its nodes that some lead has go.
    std::uint64_t left(Candidate& candidate) const
    {
        if (candidate.lead.nodes.empty())
            return candidate.lead.bytes;
        if (any_)
            std::erase_if(candidate.lead.nodes, [this](NodeId node) { return leadOf(node) != none; });
        std::uint64_t sum = 0;
        for (const NodeId node : candidate.lead.nodes)
            sum += ownLeft(node);
        for (const auto& [node, item] : candidate.apart)
            if (leadOf(node) == none)
                sum -= std::min(sum, ownLeft(node));
        return sum;
    }

    void take(Candidate& candidate, std::uint32_t number)
    {
        any_ = true;
        std::unordered_map<NodeId, std::uint64_t> apart;
        for (const auto& [node, item] : candidate.apart)
            if (leadOf(node) == none)
                apart[item] += ownLeft(node);
        std::vector<std::uint64_t> bytes;
        for (const NodeId node : candidate.lead.nodes) {
            const auto found = apart.empty() ? apart.end() : apart.find(node);
            const auto left = ownLeft(node);
            bytes.push_back(left - std::min(left, found == apart.end() ? 0 : found->second));
        }
        for (std::size_t i = 0; i < bytes.size(); ++i) {
            of_[candidate.lead.nodes[i]] = number;
            for (NodeId above = tree_.parent(candidate.lead.nodes[i]); above != noNode; above = tree_.parent(above))
                below_[store_.folderIndex(above)] += bytes[i];
        }
    }

    Remainder remainder() const
    {
        Remainder rest{std::vector<bool>(below_.size()), below_, std::vector<bool>(of_.size())};
        for (NodeId node = 0; node < of_.size(); ++node) {
            if (!store_.isFolder(node)) {
                rest.takenFiles[node] = of_[node] != none;
                continue;
            }
            const bool above = node != rootNode && rest.covered[store_.folderIndex(store_.parent(node))];
            rest.covered[store_.folderIndex(node)] = of_[node] != none || above;
        }
        return rest;
    }

private:
    std::uint64_t ownLeft(NodeId node) const
    {
        const auto disk = tree_.disk(node);
        return tree_.isFolder(node) ? disk - std::min(disk, below_[store_.folderIndex(node)]) : disk;
    }

    const FileTree& tree_;
    const NodeStore& store_;
    std::vector<std::uint64_t> below_;         ///< by folder index: bytes below it that leads have
    std::vector<std::uint32_t> of_;            ///< by node: the lead that it is an item of
    bool any_ = false;                         ///< something was taken
    std::unordered_map<NodeId, NodeId> apart_; ///< what is no part of the item above it
};

class Finder {
public:
    Finder(const LeadFacts& facts, std::stop_token stop)
        : facts_(facts), tree_(*facts.tree), stop_(std::move(stop)), shares_(tree_)
    {
    }

    Leads run()
    {
        const Gathering g{
            facts_, facts_.advice ? facts_.advice : std::make_shared<const TreeAdvice>(adviseTree(*facts_.book, tree_)),
            leadThreshold(tree_)};
        if (stop_.stop_requested())
            return {};
        using Gather = void (*)(const Gathering&, std::vector<Candidate>&);
        constexpr std::array<Gather, 7> gatherers{gatherByRules,  gatherCopies,    gatherVersions,  gatherOldKernels,
                                                  gatherAccounts, gatherInstalled, gatherFromLedger};
        std::array<std::vector<Candidate>, gatherers.size()> gathered;
        std::atomic<std::size_t> next{0};
        inTeam(stretchCount(tree_.extent().nodes), [&] {
            for (auto i = next++; i < gatherers.size(); i = next++)
                gatherers[i](g, gathered[i]);
        });
        std::vector<Candidate> all;
        for (auto& part : gathered)
            std::move(part.begin(), part.end(), std::back_inserter(all));
        shares_.setApart(all);
        choose(std::move(all), g.threshold);
        if (stop_.stop_requested())
            return {};
        all.clear();
        const auto rest = shares_.remainder();
        gatherFromRemainder(g, rest, all);
        constexpr std::size_t mostFolders = 24;
        askHistory(heavyFolders(tree_, rest, g.threshold, mostFolders), g, all);
        choose(std::move(all), g.threshold);
        countLinks();
        if (facts_.live && !tree_.isGrowing())
            askDisk();
        return inWords();
    }

private:
    double scoreOf(const Candidate& candidate, std::uint64_t bytes) const
    {
        const auto ahead = candidate.lead.comesFree; // known before where it is less than the bytes
        const auto free = ahead > 0 ? std::min(ahead, bytes) : bytes;
        return static_cast<double>(free) * candidate.certainty * certaintyOf(candidate.lead.level);
    }

    bool isAside(const Candidate& candidate) const
    {
        return std::find(facts_.aside.begin(), facts_.aside.end(), candidate.lead.id) != facts_.aside.end();
    }

    void choose(std::vector<Candidate> all, std::uint64_t threshold)
    {
        using Place = std::pair<double, std::size_t>;
        const auto later = [&all](const Place& a, const Place& b) {
            return a.first != b.first ? a.first < b.first : all[a.second].lead.id > all[b.second].lead.id;
        };
        std::priority_queue<Place, std::vector<Place>, decltype(later)> order(later);
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (isAside(all[i])) { // nobody else has it
                shares_.left(all[i]);
                shares_.take(all[i], number_++);
                chosen_.push_back({});
                continue;
            }
            order.emplace(scoreOf(all[i], shares_.left(all[i])), i);
        }
        while (!order.empty()) {
            auto& candidate = all[order.top().second];
            const auto place = order.top();
            order.pop();
            const auto bytes = shares_.left(candidate);
            const auto score = scoreOf(candidate, bytes);
            if (bytes < threshold)
                continue;
            if (!order.empty() && score < place.first && score < order.top().first) {
                order.emplace(score, place.second);
                continue;
            }
            shares_.take(candidate, number_++);
            auto& lead = candidate.lead;
            lead.bytes = bytes;
            if (!lead.nodes.empty()) // of the ledger's it is known
                lead.comesFree = lead.comesFree > 0 ? std::min(lead.comesFree, bytes) : bytes;
            lead.score = score;
            chosen_.push_back(std::move(candidate));
        }
    }

    /// How fast single items and `folders` grow. Of the folders those that grow become candidates.
    void askHistory(const std::vector<NodeId>& folders, const Gathering& g, std::vector<Candidate>& all)
    {
        constexpr std::size_t mostItems = 24;
        constexpr double month = 30.4375 * 86400;
        std::vector<Candidate*> asked;
        std::vector<std::string> below;
        const auto root = tree_.path(rootNode);
        const auto ask = [&](NodeId node) {
            const auto path = tree_.path(node);
            below.push_back(path.substr(root == "/" ? 1 : std::min(root.size() + 1, path.size())));
        };
        for (auto& candidate : chosen_) // the first are those that promise most
            if (candidate.lead.nodes.size() == 1 && asked.size() < mostItems) {
                asked.push_back(&candidate);
                ask(candidate.lead.nodes.front());
            }
        for (const NodeId folder : folders)
            ask(folder);
        if (facts_.earlier.empty() || below.empty())
            return;
        // Half of the snapshots each: unpacking their indexes is most of it.
        PlaceHistory history;
        std::mutex mutex;
        std::atomic<std::size_t> next{0};
        constexpr std::size_t portion = 4;
        inTeam(std::clamp<std::size_t>(facts_.earlier.size() / (2 * portion), 1, 4), [&] {
            for (auto from = next.fetch_add(portion); from < facts_.earlier.size(); from = next.fetch_add(portion)) {
                const auto end = std::min(from + portion, facts_.earlier.size());
                auto part = historyOf({facts_.earlier.begin() + static_cast<std::ptrdiff_t>(from),
                                       facts_.earlier.begin() + static_cast<std::ptrdiff_t>(end)},
                                      below, stop_);
                const std::lock_guard lock(mutex);
                std::move(part.points.begin(), part.points.end(), std::back_inserter(history.points));
            }
        });
        std::sort(history.points.begin(), history.points.end(),
                  [](const HistoryPoint& a, const HistoryPoint& b) { return a.info.taken < b.info.taken; });
        const auto perMonth = [&](std::size_t path, NodeId node) -> std::optional<double> {
            auto points = useOfPath(history, path);
            if (points.empty() || points.back().time < facts_.info.taken)
                points.push_back({facts_.info.taken, tree_.disk(node)});
            const auto trend = trendOf(points);
            return trend && trend->isClear ? std::optional(trend->perSecond * month) : std::nullopt;
        };
        for (std::size_t i = 0; i < asked.size(); ++i)
            asked[i]->lead.perMonth = perMonth(i, asked[i]->lead.nodes.front());
        std::unordered_map<NodeId, double> growing;
        for (std::size_t i = 0; i < folders.size(); ++i)
            if (const auto rate = perMonth(asked.size() + i, folders[i]);
                rate && *rate * 4 > static_cast<double>(g.threshold))
                growing[folders[i]] = *rate;
        for (const auto& [folder, rate] : growing) {
            // The innermost that has most of it stands for it.
            const bool oneBelow =
                std::any_of(growing.begin(), growing.end(), [&, rate = rate, folder = folder](auto& o) {
                    return o.first != folder && o.second > 0.7 * rate && tree_.isAtOrBelow(o.first, folder);
                });
            if (oneBelow)
                continue;
            Candidate made;
            auto& lead = made.lead;
            lead.where = tree_.path(folder);
            lead.id = "growing:" + lead.where;
            lead.title = "Growing";
            lead.nodes = {folder};
            lead.perMonth = rate;
            lead.level = std::min(g.advice->levels[folder], AdviceLevel::YourCall);
            lead.role = g.advice->roles[folder];
            made.subject = displayText(std::string(tree_.name(folder))) + " holds";
            made.verdict = "";
            made.certainty = 0.3;
            lead.why = "By the snapshots of this place it grows steadily.";
            lead.next = "See in Compare what came in, and ask whether all of it has to stay on this drive.";
            all.push_back(std::move(made));
        }
        std::sort(all.begin(), all.end(), [](const Candidate& a, const Candidate& b) { return a.lead.id < b.lead.id; });
    }

    /// A file of which a lead does not have all paths frees nothing with it.
    void countLinks()
    {
        if (tree_.isGrowing())
            return; // they are not known yet
        const auto& store = tree_.store();
        for (const auto& set : store.linkSets()) {
            const auto members = store.linkMembers(set);
            const NodeId counted = tree_.countedAt(members.front());
            const auto number = counted == noNode ? Shares::none : shares_.leadOf(counted);
            if (number == Shares::none || chosen_[number].lead.nodes.empty())
                continue;
            std::uint32_t within = 0;
            for (const NodeId member : members)
                within += tree_.contains(member) && shares_.leadOf(member) == number ? 1 : 0;
            auto& lead = chosen_[number].lead;
            if (within < set.links)
                lead.comesFree -= std::min(lead.comesFree, store.ownDisk(counted));
        }
        for (auto& candidate : chosen_)
            if (!candidate.lead.nodes.empty())
                candidate.lead.score = static_cast<double>(candidate.lead.comesFree) * candidate.certainty *
                                       certaintyOf(candidate.lead.level);
    }

    /// Blocks that files share, and compression, make less come free than is counted. Only some files are looked at.
    void askDisk()
    {
        const auto places = tree_.places();
        if (std::none_of(places.begin(), places.end(),
                         [this](NodeId place) { return blockSharing(tree_.path(place)).shares; }))
            return;
        std::vector<Candidate*> first;
        for (auto& candidate : chosen_)
            if (!candidate.lead.nodes.empty() && candidate.lead.comesFree > 0)
                first.push_back(&candidate);
        std::sort(first.begin(), first.end(), [](auto* a, auto* b) { return a->lead.score > b->lead.score; });
        constexpr std::size_t mostLeads = 24, mostFiles = 400;
        first.resize(std::min(first.size(), mostLeads));
        for (auto* candidate : first) {
            auto& lead = candidate->lead;
            const auto free = comesFree(tree_, lead.nodes, {mostFiles, true, false}, stop_);
            lead.comesFree -= std::min(lead.comesFree, free.shared + free.compressed + free.inlined);
            lead.score = static_cast<double>(lead.comesFree) * candidate->certainty * certaintyOf(lead.level);
        }
    }

    Leads inWords()
    {
        std::erase_if(chosen_, [](const Candidate& candidate) { return candidate.lead.id.empty(); });
        std::sort(chosen_.begin(), chosen_.end(), [](const Candidate& a, const Candidate& b) {
            if (a.lead.score != b.lead.score)
                return a.lead.score > b.lead.score;
            const auto grows = a.lead.perMonth.value_or(0), other = b.lead.perMonth.value_or(0);
            return grows != other ? grows > other : a.lead.id < b.lead.id;
        });
        Leads found;
        for (auto& candidate : chosen_) {
            putIntoWords(candidate, facts_);
            auto& list = found.leads.size() < Leads::most ? found.leads : found.rest;
            list.push_back(std::move(candidate.lead));
        }
        return found;
    }

    const LeadFacts& facts_;
    const FileTree& tree_;
    std::stop_token stop_;
    Shares shares_;
    std::vector<Candidate> chosen_; ///< by number; without an id: put aside
    std::uint32_t number_ = 0;
};

} // namespace

const char* leadStepName(LeadStep step)
{
    static constexpr std::array names{"look", "plan", "tool", "ask", "empty"};
    return names[static_cast<std::size_t>(step)];
}

std::uint64_t Leads::bytes() const
{
    std::uint64_t sum = 0;
    for (const auto& lead : leads)
        sum += lead.bytes;
    return sum;
}

std::uint64_t Leads::comesFree() const
{
    std::uint64_t sum = 0;
    for (const auto& lead : leads)
        sum += lead.level == AdviceLevel::UsuallySafe || lead.level == AdviceLevel::OwnTool ? lead.comesFree : 0;
    return sum;
}

Leads findLeads(const LeadFacts& facts, std::stop_token stop)
{
    return Finder(facts, std::move(stop)).run();
}

} // namespace kurvo
