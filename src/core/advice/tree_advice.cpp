// SPDX-License-Identifier: GPL-3.0-or-later
// The automaton of the rules walked over a tree. Most of a tree lies in folders where no pattern waits for a name any
// more; there a child costs one look at its first and last byte.
#include "core/advice/tree_advice.h"

#include <algorithm>
#include <atomic>

#include "core/advice/guard.h"
#include "core/base/team.h"
#include "core/base/text.h"
#include "core/tree/stretches.h"

namespace kurvo {
namespace {

using State = RulePatterns::State;

class Walk {
public:
    Walk(const RuleBook& book, const FileTree& tree) : book_(book), tree_(tree), patterns_(book.patterns())
    {
        for (const auto& rule : book.rules())
            anywhere_.push_back(std::any_of(rule.paths.begin(), rule.paths.end(),
                                            [](const auto& path) { return path.starts_with("**/"); }));
    }

    TreeAdvice run()
    {
        const auto nodes = tree_.extent().nodes;
        advice_.rules.assign(nodes, TreeAdvice::noRule);
        advice_.levels.assign(nodes, AdviceLevel::YourCall);
        advice_.roles.assign(nodes, Role::NotKnown);
        std::vector<Folder> top;
        for (const NodeId root : tree_.places()) {
            const auto path = tree_.path(root);
            State state;
            const auto role = roleAbove(path);
            const auto rule = patterns_.follow(path, state);
            const bool system = isSystemPath(path);
            note(root, rule, system, role);
            top.push_back({root, std::move(state), advice_.roles[root],
                           static_cast<std::uint32_t>(componentsOf(path).size()), system});
        }
        // Few folders hold most of a tree: each thread takes some of those near the root, the largest first.
        const auto members = stretchCount(nodes);
        while (members > 1 && !top.empty() && top.size() < 64 * members) {
            const auto largest = std::max_element(
                top.begin(), top.end(), [this](const Folder& a, const Folder& b) { return weight(a) < weight(b); });
            if (weight(*largest) * 16 * members < nodes)
                break;
            auto folder = std::move(*largest);
            *largest = std::move(top.back());
            top.pop_back();
            look(folder, top);
        }
        std::sort(top.begin(), top.end(), [this](const Folder& a, const Folder& b) { return weight(a) > weight(b); });
        std::atomic<std::size_t> next{0};
        inTeam(members, [&] {
            std::vector<Folder> pending;
            for (auto i = next++; i < top.size(); i = next++) {
                pending.push_back(std::move(top[i]));
                while (!pending.empty()) {
                    const auto folder = std::move(pending.back());
                    pending.pop_back();
                    look(folder, pending);
                }
            }
        });
        return std::move(advice_);
    }

private:
    struct Folder {
        NodeId node = noNode;
        State state;
        Role role = Role::NotKnown;
        std::uint32_t depth = 0; ///< names in its path
        bool system = false;
    };

    std::uint64_t weight(const Folder& folder) const
    {
        const auto& sums = tree_.sums(folder.node);
        return std::uint64_t{sums.files} + sums.folders;
    }

    /// The role of the folder that holds the root of the tree.
    Role roleAbove(std::string_view path) const
    {
        auto role = Role::NotKnown;
        State state = patterns_.start(), next;
        std::string name;
        const auto parts = componentsOf(path);
        for (std::size_t i = 0; i + 1 < parts.size(); ++i) {
            name = parts[i];
            const auto rule = patterns_.enter(state, name.c_str(), name.size(), next);
            role = roleWithin(role, roleOf(rule), isAnywhere(rule), std::nullopt);
            std::swap(state, next);
        }
        return role;
    }

    std::optional<Role> roleOf(std::size_t rule) const
    {
        return rule < book_.rules().size() ? book_.rules()[rule].role : std::nullopt;
    }
    bool isAnywhere(std::size_t rule) const { return rule < anywhere_.size() && anywhere_[rule]; }

    void note(NodeId node, std::size_t rule, bool system, Role above)
    {
        if (rule < book_.rules().size()) {
            const auto level = book_.rules()[rule].level;
            const bool hushed = system && level == AdviceLevel::UsuallySafe;
            advice_.levels[node] = hushed ? AdviceLevel::YourCall : level;
            if (!hushed)
                advice_.rules[node] = static_cast<std::uint16_t>(rule);
        }
        const auto& store = tree_.store();
        const auto family = tree_.isFolder(node) ? std::optional<Family>() : typeInfo(store.type(node)).family;
        advice_.roles[node] = roleWithin(above, roleOf(rule), isAnywhere(rule), family);
    }

    void look(const Folder& folder, std::vector<Folder>& pending)
    {
        const auto& store = tree_.store();
        State below;
        std::size_t settledRule = 0;
        const bool settled = patterns_.isSettled(folder.state, settledRule);
        // Only near the root can a folder be where the system begins.
        constexpr std::uint32_t deepest = 3;
        tree_.forEachChild(folder.node, [&](NodeId child) {
            const auto* name = store.nameC(child);
            const auto length = std::char_traits<char>::length(name);
            const bool isFolder = store.isFolder(child);
            const bool plain = settled && !patterns_.mayBegin(name, length);
            const auto rule = plain ? settledRule : patterns_.enter(folder.state, name, length, below);
            const bool system = folder.system || ((isFolder || folder.depth == 0) && folder.depth < deepest &&
                                                  isSystemPath(tree_.path(child)));
            note(child, rule, system, folder.role);
            if (isFolder)
                pending.push_back(
                    {child, plain ? folder.state : below, advice_.roles[child], folder.depth + 1, system});
        });
    }

    const RuleBook& book_;
    const FileTree& tree_;
    const RulePatterns& patterns_;
    std::vector<bool> anywhere_; ///< by rule: it goes by names, wherever they are
    TreeAdvice advice_;
};

} // namespace

TreeAdvice adviseTree(const RuleBook& book, const FileTree& tree)
{
    return Walk(book, tree).run();
}

std::array<RoleFigures, roleCount> rolesBelow(const FileTree& tree, const TreeAdvice& advice, NodeId top)
{
    std::array<RoleFigures, roleCount> sums{};
    const auto& store = tree.store();
    tree.forEachBelow(top, [&](NodeId node) {
        auto& sum = sums[static_cast<std::size_t>(advice.roles[node])];
        if (store.isFolder(node)) {
            sum.disk += store.has(node, FlagDoor) ? 0 : store.ownDisk(node);
            return;
        }
        sum.disk += tree.disk(node);
        sum.apparent += tree.apparent(node);
        ++sum.files;
    });
    return sums;
}

} // namespace kurvo
