// SPDX-License-Identifier: GPL-3.0-or-later
// What Find is asked: a question, a line of filter, a box of the age field; answered on a pool thread.
#pragma once

#include <array>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "app/model/place.h"
#include "app/services/knowledge.h"
#include "core/find/age_field.h"
#include "core/find/filter.h"
#include "core/find/order.h"
#include "core/find/questions.h"

namespace kurvo::app {

struct FoundFiles {
    std::shared_ptr<const FileTree> tree;
    std::shared_ptr<const Questions> questions;
    std::array<Answer, questionCount> answers;
    std::vector<NodeId> files;
    std::shared_ptr<const AgeField> field;
    std::shared_ptr<const TreeAdvice> advice; ///< null as long as nobody asked
    NodeId top = rootNode;
    std::uint64_t disk = 0;
    bool folders = false;
};

/// All that it takes to answer.
struct FindQuery {
    std::shared_ptr<const FileTree> tree;
    std::shared_ptr<const Questions> known;                    ///< of this tree, where it was asked before,
    std::optional<std::array<Answer, questionCount>> answered; ///< and what they answered
    NodeId top;
    std::int64_t now;
    Question question;
    FilterContext context; ///< all but what is planned
    KeptState plan;
    Filter base; ///< without the box of the age field
    Filter filter;
    bool boxed;
    FileOrder order;
    bool descending;
    std::string kernel;
    std::shared_ptr<const UserRules> rules;
    std::shared_ptr<const TreeMarks> marks;

    /// Any thread; once.
    std::shared_ptr<FoundFiles> answer();
};

} // namespace kurvo::app
