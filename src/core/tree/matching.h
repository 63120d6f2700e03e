// SPDX-License-Identifier: GPL-3.0-or-later
// Matching: which entry of a tree stood at the same path in an earlier one.
#pragma once

#include <algorithm>
#include <cstring>
#include <memory>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

/// Immutable once made; may be read from any thread.
class Matching {
public:
    /// Matches by path below the two roots, byte for byte; a file and a folder of one name do not match. About 0.2
    /// seconds for a million entries in much the same order, 4 bytes an entry.
    Matching(std::shared_ptr<const FileTree> now, std::shared_ptr<const FileTree> before);

    const FileTree& now() const { return *now_; }
    const FileTree& before() const { return *before_; }
    const std::shared_ptr<const FileTree>& sharedNow() const { return now_; }
    const std::shared_ptr<const FileTree>& sharedBefore() const { return before_; }
    /// The entry of the earlier tree; noNode for what is new.
    NodeId earlier(NodeId node) const { return node < earlier_.size() ? earlier_[node] : noNode; }
    /// By how much an entry is larger in `now`, a tree over the same store, than it was then; all of it when it is new.
    /// Saturates.
    std::int64_t growth(const FileTree& now, NodeId node, Measure measure) const;

private:
    std::shared_ptr<const FileTree> now_, before_;
    std::vector<NodeId> earlier_;
};

/// Matches the children of folder after folder by name. Folders mostly list their entries in the same order again, so
/// names are compared side by side first, and only what is left over is sorted.
class ChildMatcher {
public:
    ChildMatcher(const FileTree& now, const FileTree& before) : now_(now), before_(before) { }

    /// Calls `pair(here, there)` for each two children of one name that are both folders or both are not.
    template <typename Pair>
    void match(NodeId folder, NodeId then, Pair&& pair)
    {
        here_.clear();
        there_.clear();
        now_.forEachChild(folder, [this](NodeId child) { here_.push_back(child); });
        before_.forEachChild(then, [this](NodeId child) { there_.push_back(child); });
        const auto both = [&](NodeId a, NodeId b) {
            if (now_.isFolder(a) == before_.isFolder(b))
                pair(a, b);
        };
        sideBySide(both);
        sorted(both);
    }

private:
    const char* nameHere(NodeId a) const { return now_.store().nameC(a); }
    const char* nameThere(NodeId b) const { return before_.store().nameC(b); }
    bool same(NodeId a, NodeId b) const { return std::strcmp(nameHere(a), nameThere(b)) == 0; }

    template <typename Both>
    void sideBySide(Both&& both)
    {
        constexpr std::size_t ahead = 4; // a few that are new or gone are stepped over
        restHere_.clear();
        restThere_.clear();
        std::size_t i = 0, j = 0;
        while (i < here_.size() && j < there_.size()) {
            if (same(here_[i], there_[j])) {
                both(here_[i++], there_[j++]);
                continue;
            }
            std::size_t skipHere = 1, skipThere = 1;
            for (std::size_t k = 1; k <= ahead; ++k) {
                if (i + k < here_.size() && same(here_[i + k], there_[j])) {
                    skipHere = k, skipThere = 0;
                    break;
                }
                if (j + k < there_.size() && same(here_[i], there_[j + k])) {
                    skipHere = 0, skipThere = k;
                    break;
                }
            }
            while (skipHere-- > 0)
                restHere_.push_back(here_[i++]);
            while (skipThere-- > 0)
                restThere_.push_back(there_[j++]);
        }
        if (restHere_.empty() && restThere_.empty())
            return; // what is left on one side has nothing on the other
        restHere_.insert(restHere_.end(), here_.begin() + static_cast<std::ptrdiff_t>(i), here_.end());
        restThere_.insert(restThere_.end(), there_.begin() + static_cast<std::ptrdiff_t>(j), there_.end());
    }
    template <typename Both>
    void sorted(Both&& both);

    const FileTree& now_;
    const FileTree& before_;
    std::vector<NodeId> here_, there_, restHere_, restThere_;
};

template <typename Both>
void ChildMatcher::sorted(Both&& both)
{
    if (restHere_.empty() || restThere_.empty())
        return;
    std::sort(restHere_.begin(), restHere_.end(),
              [this](NodeId a, NodeId b) { return std::strcmp(nameHere(a), nameHere(b)) < 0; });
    std::sort(restThere_.begin(), restThere_.end(),
              [this](NodeId a, NodeId b) { return std::strcmp(nameThere(a), nameThere(b)) < 0; });
    auto b = restThere_.begin();
    for (const NodeId a : restHere_) {
        while (b != restThere_.end() && std::strcmp(nameThere(*b), nameHere(a)) < 0)
            ++b;
        if (b == restThere_.end())
            return;
        if (same(a, *b))
            both(a, *b);
    }
}

} // namespace kurvo
