// SPDX-License-Identifier: GPL-3.0-or-later
// The plan: what shall be put into the trash, deleted or moved. Items are gathered first and carried out once
// (core/act).
#pragma once

#include <array>
#include <cstdint>
#include <iterator>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

#include "core/advice/guard.h"
#include "core/base/result.h"
#include "core/tree/file_tree.h"

namespace kurvo {

/// What shall happen to an item.
enum class Action : std::uint8_t {
    Trash,
    Delete,    ///< for good
    Move,      ///< to a folder on another drive
    EmptyTrash ///< `path` is a trash folder: removes what lies in it for good
};
/// In which order the plan lists them: as they are carried out.
int rankOf(Action action);
/// What cannot be taken back.
inline bool isForGood(Action action)
{
    return action == Action::Delete || action == Action::EmptyTrash;
}

/// The same content elsewhere, which is to stay: an item that goes because of it is left alone without it.
struct Twin {
    std::string path; ///< bytes; of the item's kind
    std::uint64_t device = 0;
    std::uint64_t inode = 0;
    std::uint64_t size = 0; ///< st_size; only meaningful for files
    std::int64_t modified = 0;
    std::uint32_t modifiedNs = 0;
    ContentSummary content;
    bool operator==(const Twin&) const = default;
};

/// What an item was when it was scanned; enough to find out whether it still is.
struct PlanItem {
    NodeId node = noNode;
    std::string path; ///< bytes
    EntryKind kind = EntryKind::File;
    std::uint64_t device = 0;
    std::uint64_t inode = 0;
    std::uint64_t size = 0; ///< st_size; only meaningful for files and links
    std::int64_t modified = 0;
    std::uint32_t modifiedNs = 0;
    std::uint64_t disk = 0;   ///< counted bytes on disk of the whole item
    bool guardLifted = false; ///< it is protected, and somebody wanted it all the same
    Action action = Action::Trash;
    std::string destination = {}; ///< move: the folder it goes into; bytes
    bool leaveLink = false;       ///< move: a link at the old path leads to the new one
    /// Of an item that is not in the tree (`node` is noNode): what it held when it was planned.
    std::optional<ContentSummary> content = {};
    std::optional<Twin> twin = {};
    bool operator==(const PlanItem&) const = default;
};

/// What shall happen to a node.
struct Intent {
    Action action = Action::Trash;
    std::string destination = {};  ///< move
    bool leaveLink = false;        ///< move
    std::optional<Twin> twin = {}; ///< trash and delete; what is planned already keeps the one it has
};
/// What goes, and because of what stays.
using Twins = std::unordered_map<NodeId, NodeId>;

/// Whether the tree has the item's node as it was when it was planned.
bool isAsPlanned(const PlanItem& item, const FileTree& tree);

/// Whether what is protected is held off.
enum class Guard {
    Up,
    Lifted ///< for this one item, by somebody who was told the reason
};

/// Items never change once they are planned: states of a plan and copies of it share them.
using PlanItemPtr = std::shared_ptr<const PlanItem>;
/// The items of a plan in its order.
using PlanState = std::vector<PlanItemPtr>;
/// The same to come back to, and to be handed to other threads: never null, never changed.
using KeptState = std::shared_ptr<const PlanState>;

/// What a plan holds, gone through as the items themselves. Valid as long as the plan does not change.
class PlanItems {
public:
    class Iterator {
    public:
        using iterator_category = std::random_access_iterator_tag;
        using value_type = PlanItem;
        using difference_type = std::ptrdiff_t;
        using pointer = const PlanItem*;
        using reference = const PlanItem&;
        explicit Iterator(PlanState::const_iterator at) : at_(at) { }
        reference operator*() const { return **at_; }
        pointer operator->() const { return at_->get(); }
        Iterator& operator++() { return ++at_, *this; }
        Iterator operator++(int) { return Iterator(at_++); }
        Iterator operator+(difference_type n) const { return Iterator(at_ + n); }
        difference_type operator-(const Iterator& other) const { return at_ - other.at_; }
        bool operator==(const Iterator&) const = default;

    private:
        PlanState::const_iterator at_;
    };

    explicit PlanItems(const PlanState& items) : items_(&items) { }
    Iterator begin() const { return Iterator(items_->begin()); }
    Iterator end() const { return Iterator(items_->end()); }
    std::size_t size() const { return items_->size(); }
    bool empty() const { return items_->empty(); }
    const PlanItem& operator[](std::size_t i) const { return *(*items_)[i]; }
    const PlanItem& front() const { return *items_->front(); }

private:
    const PlanState* items_;
};

/// A value. Asking costs the same however much is planned, unless it says otherwise; a change costs one pass over the
/// items at most, and addAll() one for all of its nodes.
class Plan {
public:
    Plan() = default;
    explicit Plan(KeptState state) { restore(std::move(state)); }
    /// The indices look into items that copies share, so copying is safe, and takes one pass.
    Plan(const Plan&) = default;
    Plan(Plan&&) = default;
    Plan& operator=(const Plan&) = default;
    Plan& operator=(Plan&&) = default;

    /// Puts a node on the plan; one that is on it already gets the new intent. What is below it and was planned before
    /// is swallowed. Returns what came off by that. Fails (Unsupported) with the reason when the node is protected
    /// (guard.h), the root of the place, another mount, or lies below something that is already planned.
    Result<PlanState> add(const FileTree& tree, NodeId node, const GuardFacts& facts, Guard guard = Guard::Up,
                          const Intent& intent = {});
    /// What addAll() did.
    struct Added {
        std::size_t count = 0;
        std::string problem; ///< why the first that could not be planned was not; empty when all were
        PlanState off;       ///< what came off
    };
    /// Many nodes with one intent, as add() takes each. Sums up the content of each twin.
    Added addAll(const FileTree& tree, const std::vector<NodeId>& nodes, const GuardFacts& facts,
                 const Intent& intent = {}, const Twins& twins = {});
    /// Puts something on the plan that no node stands for, such as what lies in a trash folder; `item.content` is set.
    /// Replaces an item at the same path, which it returns. Fails where another item holds it or lies in it.
    Result<PlanState> addOutside(PlanItem item, const GuardFacts& facts);
    /// Takes a node off; false when it is not on the plan itself.
    bool remove(NodeId node);
    bool remove(const std::string& path);
    /// Several, by path; returns those that were on it.
    PlanState removeAll(const std::vector<std::string>& paths);
    void clear() { *this = {}; }
    enum class IfChanged {
        Drop, ///< what is not what it was comes off
        Keep  ///< only what is gone comes off: a check will say of the rest what changed
    };
    /// Finds the items again, by path, in a newer tree of the same place; returns what came off.
    PlanState rebind(const FileTree& tree, IfChanged ifChanged);

    PlanItems items() const { return PlanItems(items_.get()); }
    bool empty() const { return items_.get().empty(); }
    /// Cheap for what was copied from it.
    bool operator==(const Plan& other) const;
    bool has(NodeId node) const { return itemOf(node) != nullptr; }
    const PlanItem* itemOf(NodeId node) const;
    const PlanItem* itemAt(std::string_view path) const;
    /// The planned node that is `node` or holds it, or noNode. Goes up from the node.
    NodeId coveringItem(const FileTree& tree, NodeId node) const;
    /// The item at the path or at a folder above it, or null.
    const PlanItem* covering(std::string_view path) const;

    /// As it is now, to come back to by restore(). Takes no pass; the next change takes one.
    KeptState state() const { return items_.share(); }
    void restore(KeptState state);
    /// The same from a state that has much in common with it: costs by what is different, and one pass. Returns what
    /// came off, and what came on.
    struct Difference {
        PlanState off, on;
    };
    Difference become(KeptState state);

    /// Items that go because a twin stays.
    std::size_t withTwin() const { return withTwin_; }
    std::size_t count(Action action) const { return sums_[static_cast<std::size_t>(action)].count; }
    /// Items that cannot be taken back.
    std::size_t countForGood() const { return count(Action::Delete) + count(Action::EmptyTrash); }
    std::uint64_t bytesForGood() const { return plannedBytes(Action::Delete) + plannedBytes(Action::EmptyTrash); }
    /// Counted bytes of all items, or of those with one action.
    std::uint64_t plannedBytes() const;
    std::uint64_t plannedBytes(Action action) const { return sums_[static_cast<std::size_t>(action)].bytes; }
    /// What becomes free once the items are gone for good: a file with further links outside the plan frees nothing.
    /// Goes up from each path of each file with several links.
    std::uint64_t freedBytes(const FileTree& tree) const;
    /// The same of each item alone, by its node, where that is less than its bytes: what of them further links
    /// outside of it hold. One pass, as freedBytes().
    std::unordered_map<NodeId, std::uint64_t> heldByLinks(const FileTree& tree) const;
    /// What one node alone would free.
    static std::uint64_t freedBytes(const FileTree& tree, NodeId node);
    /// What these together would; none lies in another.
    static std::uint64_t freedBytes(const FileTree& tree, const std::vector<NodeId>& nodes);

private:
    struct Sum {
        std::size_t count = 0;
        std::uint64_t bytes = 0;
    };
    Result<PlanItemPtr> newItem(const FileTree& tree, NodeId node, const GuardFacts& facts, Guard guard,
                                const Intent& intent) const;
    /// Items that the indices do not know any more and the order still has.
    using Gone = std::vector<const PlanItem*>;
    void index(const PlanItem& item);
    void unindex(const PlanItem& item);
    void unindex(const PlanItem& item, Gone& gone) { unindex(item), gone.push_back(&item); }
    void swallow(const PlanItem& item, Gone& gone);
    void insert(PlanItemPtr item);
    /// Takes them out of the order as well. One pass.
    PlanState takeOut(Gone& gone);
    static PlanState takeFrom(PlanState& items, Gone& gone);

    /// Copied before a change once somebody else was given it.
    class Items {
    public:
        Items() = default;
        Items(const Items& other) : items_(other.share()), shared_(true) { }
        Items(Items&& other) noexcept : items_(std::exchange(other.items_, nothing())), shared_(other.shared_)
        {
            other.shared_ = true;
        }
        Items& operator=(const Items& other)
        {
            keep(other.share());
            return *this;
        }
        Items& operator=(Items&& other) noexcept
        {
            std::swap(items_, other.items_);
            std::swap(shared_, other.shared_);
            return *this;
        }
        const PlanState& get() const { return *items_; }
        KeptState share() const
        {
            shared_ = true;
            return items_;
        }
        void keep(KeptState state)
        {
            items_ = std::move(state);
            shared_ = true;
        }
        PlanState& edit();

    private:
        KeptState items_ = nothing();
        mutable bool shared_ = true;
    };
    static const KeptState& nothing();

    Items items_; ///< by what happens, then the largest first
    std::unordered_map<NodeId, const PlanItem*> byNode_;
    std::map<std::string_view, const PlanItem*> byPath_; ///< what lies in a folder follows it
    std::array<Sum, 4> sums_{};                          ///< by action
    std::size_t outside_ = 0;                            ///< items that no node stands for
    std::size_t withTwin_ = 0;
};

/// Rewrites states of plans for a newer tree: each item once, however many states share it.
class StateRebinder {
public:
    explicit StateRebinder(const FileTree& tree) : tree_(tree) { }
    /// What is gone comes off.
    PlanState operator()(const PlanState& state);

private:
    const FileTree& tree_;
    std::unordered_map<PlanItemPtr, PlanItemPtr> known_;
};

} // namespace kurvo
