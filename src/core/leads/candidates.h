// SPDX-License-Identifier: GPL-3.0-or-later
// What may become a lead: gathered from what Kurvo knows, before it is ranked. Internal to core/leads.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/leads/leads.h"

namespace kurvo {

struct Candidate {
    Lead lead;
    double certainty = 1; ///< besides its level: how surely such a thing may go
    bool several = false; ///< a group of like things, which `lead.title` names
    std::string subject;  ///< how its sentence begins where it is not "<title> holds"; "holds", "hold" included
    std::optional<std::string> verdict; ///< how its sentence ends where the level does not say it
    /// A thing within one of its items that is a candidate of its own, and no part of it.
    struct Apart {
        NodeId node = noNode;
        NodeId item = noNode;
    };
    std::vector<Apart> apart;
};

/// What else they need to know.
struct Gathering {
    const LeadFacts& facts;
    std::shared_ptr<const TreeAdvice> advice;
    std::uint64_t threshold; ///< bytes: what holds less is not worth a word
};

/// Every entry that is still there, folders before what is in them. In the order of the rows where that can be, which
/// is several times as quick.
template <typename Visit>
void forEachEntry(const FileTree& tree, const Visit& visit)
{
    if (tree.isGrowing() || !tree.removed().empty())
        return tree.forEachBelow(rootNode, visit);
    for (NodeId node = 0; node < tree.extent().nodes; ++node)
        visit(node);
}

/// The smallest that is worth a word: a five hundredth of what is there, 1 MiB at least.
std::uint64_t leadThreshold(const FileTree& tree);

/// What rules with a `lead` speak of: each large item by itself, the small ones of a rule together.
void gatherByRules(const Gathering& gathering, std::vector<Candidate>& all);
void gatherOldKernels(const Gathering& gathering, std::vector<Candidate>& all);
/// Home folders in which nothing changed for a year.
void gatherAccounts(const Gathering& gathering, std::vector<Candidate>& all);
/// Folders with the same names and sizes below them, and large files of the same size: copies, until somebody looks.
void gatherCopies(const Gathering& gathering, std::vector<Candidate>& all);
/// Several versions of one thing, all but the newest.
void gatherVersions(const Gathering& gathering, std::vector<Candidate>& all);
/// Packages that nothing needs, and what snap, flatpak, docker and podman keep for nobody.
void gatherInstalled(const Gathering& gathering, std::vector<Candidate>& all);
/// What no entry of the tree stands for.
void gatherFromLedger(const Gathering& gathering, std::vector<Candidate>& all);

/// What is in no lead so far (`covered`: by folder index, all in it is; `taken`: bytes below it that are, and
/// `takenFiles` that are by themselves): old files, hidden bulk, downloads that lie about.
struct Remainder {
    std::vector<bool> covered;
    std::vector<std::uint64_t> taken;
    std::vector<bool> takenFiles; ///< by node
};
void gatherFromRemainder(const Gathering& gathering, const Remainder& remainder, std::vector<Candidate>& all);
/// The largest folders of which next to nothing is in a lead, to be asked of the snapshots whether they grow.
std::vector<NodeId> heavyFolders(const FileTree& tree, const Remainder& remainder, std::uint64_t threshold,
                                 std::size_t most);

/// The sentence, from all else in it.
void putIntoWords(Candidate& candidate, const LeadFacts& facts);

/// The folder that holds all of them.
NodeId commonFolder(const FileTree& tree, const std::vector<NodeId>& nodes);

} // namespace kurvo
