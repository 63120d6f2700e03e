// SPDX-License-Identifier: GPL-3.0-or-later
// The filter line: which entries are wanted, in words that can be typed. The language is described in docs/filter.md;
// in short:
//
//   terms side by side: and      or  not  ( )
//   word      in the name, ASCII case ignored      "two words"   with spaces
//   *.wav     the whole name as a glob (* ? [ ]); with a slash in it the whole path
//   field op value[,value]   op one of : = < > <= >=
//   fields: name path size apparent age changed family type owner under is mark advice role; of changes: change delta
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "core/advice/tree_advice.h"
#include "core/marks/marks.h"
#include "core/types/file_types.h"

namespace kurvo {

/// Where a filter is wrong, and how, as a sentence.
struct FilterError {
    std::size_t at = 0;     ///< bytes from the beginning
    std::size_t length = 0; ///< of what is wrong; at least 1 but at the end of the text
    std::string sentence;
};

/// As a filter has a word that stands for nothing but itself: what would mean something has a backslash before it.
std::string filterWord(std::string_view word);

/// What a filter asks about an entry of a tree of changes.
struct ChangeFacts {
    std::function<unsigned(NodeId)> kind;                ///< as filterChanges() counts them
    std::function<std::int64_t(NodeId)> delta;           ///< bytes on disk
    std::function<std::uint64_t(NodeId)> disk, apparent; ///< its size now; before, for what is gone
};
/// What `change:` takes, in the order in which ChangeFacts::kind counts.
std::span<const std::string_view> filterChanges();

/// What a filter needs to know besides the tree.
struct FilterContext {
    std::int64_t now = 0;                                      ///< ages are counted from here: the time of the scan
    std::vector<std::pair<std::uint32_t, std::string>> owners; ///< names by uid
    std::function<bool(NodeId)> isPlanned = {};                ///< may be empty: nothing is
    std::shared_ptr<const TreeMarks> marks = nullptr;          ///< may be null: nothing is marked
    std::shared_ptr<const TreeAdvice> advice = nullptr;        ///< may be null: nothing is known
    std::shared_ptr<const ChangeFacts> changes = nullptr; ///< null where the tree is none of changes: nothing changed
};

class BoundFilter;

/// A filter that was understood. Immutable; may be copied and used from any thread.
class Filter {
public:
    enum class Test : std::uint8_t {
        And,
        Or,
        Not,
        Everything,
        Word,
        NameGlob,
        PathGlob,
        Size,
        Apparent,
        Age,
        Changed,
        Families,
        Types,
        Owners,
        Under,
        Marks,
        Advices,
        Roles,
        Changes,
        Delta,
        Hidden,
        Sparse,
        Preallocated,
        Linked,
        Planned,
        SymbolicLink,
        EmptyFile
    };

    /// The empty filter, and one of blanks: everything.
    Filter() = default;
    static std::variant<Filter, FilterError> parse(std::string_view text);

    bool isEmpty() const { return terms_.empty(); }
    /// Whether it asks for levels or roles.
    bool asksForAdvice() const { return asksFor(Test::Advices) || asksFor(Test::Roles); }
    /// Whether it asks for marks or advice, so that what it needs to know is worked out only then.
    bool asksFor(Test test) const;
    /// Ready to be asked about entries of one tree, which must outlive it.
    BoundFilter bind(const FileTree& tree, FilterContext context) const;

    /// One test; And, Or and Not refer to the terms before it, in postfix order.
    struct Term {
        Test test = Test::Everything;
        std::int64_t least = INT64_MIN, most = INT64_MAX; ///< both included
        std::string text;                                 ///< word, glob or path
        std::vector<std::string> values;                  ///< owners, marks
        std::vector<std::uint16_t> types;
        std::uint32_t families = 0; ///< one bit a family, a level of advice, a role, or a kind of change
    };

private:
    friend class FilterParser;
    std::vector<Term> terms_;
};

/// Not thread-safe: each thread takes a copy.
class BoundFilter {
public:
    bool matches(NodeId node);

private:
    friend class Filter;
    struct Under {
        NodeId top = noNode;
        NodeId folder = noNode; ///< the parent that was asked about last
        bool inside = false;
    };
    struct Path {
        std::string text; ///< of the folder that was asked about last, and what was appended to it
        std::size_t length = 0;
        NodeId folder = noNode;
        NodeId above = noNode; ///< the folder that it is in
        std::string aboveText;
        bool hasWord = false;      ///< in the folder's path already (pathHasWord)
        bool aboveHasWord = false; ///< and in that of the folder above it
    };
    struct Step {
        Filter::Term term;
        std::vector<std::uint32_t> uids;
        std::uint32_t kinds = 0; ///< of marks, one bit each; the one after the last is "none"
        Under under;
        Path path;
        bool within = false; ///< a glob that is only "*word*": `term.text` is the word in lower case
        bool ending = false; ///< the same for "*word"
    };
    bool passes(Step& step, NodeId node);
    const std::string& pathOf(Path& path, NodeId node) const;
    bool pathHasWord(Step& step, NodeId node) const;
    bool namesHaveWord(Step& step, NodeId node) const;

    const FileTree* tree_ = nullptr;
    FilterContext context_;
    std::vector<Step> steps_;
    std::vector<bool> stack_;
};

/// The files (all that are no folders) below `top` that match, in no order. By several threads: about 30 ms a million.
std::vector<NodeId> matchingFiles(const FileTree& tree, const BoundFilter& filter, NodeId top = rootNode);

/// What can be typed where one is: fields, operators and values that begin like the last word. For completion.
std::vector<std::string> filterOffers(std::string_view text, const FilterContext& context);

} // namespace kurvo
