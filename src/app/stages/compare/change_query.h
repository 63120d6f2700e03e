// SPDX-License-Identifier: GPL-3.0-or-later
// What Compare's list is asked: a folder, all changes, a filter; answered on a pool thread, since a place can have more
// changes than are gone through while somebody types.
#pragma once

#include <QString>

#include <memory>
#include <string>
#include <vector>

#include "app/lists/change_rows.h"
#include "core/find/filter.h"

namespace kurvo::app {

/// What the list stands for.
enum class ChangeMode { Folders, List, Families, Owners };

struct ChangeAnswer {
    std::vector<ChangeRow> rows;
    ChangeLines lines; ///< of the list: all, or those that match; else null
    std::int64_t net = 0;
    QString problem; ///< with the filter
};

struct ChangeQuery {
    std::shared_ptr<const Comparison> comparison;
    ChangeLines lines; ///< all changes
    ChangeMode mode;
    NodeId focus;
    Measure measure;
    std::string filter;
    std::int64_t taken; ///< of the later scan, from which ages are counted
    std::vector<std::pair<std::uint32_t, std::string>> owners;

    /// Any thread.
    ChangeAnswer answer() const;
};

} // namespace kurvo::app
