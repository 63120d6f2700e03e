// SPDX-License-Identifier: GPL-3.0-or-later
// A place as a page of HTML that can be sent to whoever owns it: what stands out and what to do about it first, then
// what is largest and what it is there for.
#pragma once

#include <string>

#include "core/advice/tree_advice.h"
#include "core/base/figures.h"
#include "core/leads/leads.h"

namespace kurvo {

std::string placeAsHtml(const SnapshotInfo& info, const FileTree& tree, const TreeAdvice& advice, const Leads& leads,
                        SizeUnits units = SizeUnits::Binary);

/// A section of such a page.
std::string leadsAsHtml(const Leads& leads, SizeUnits units = SizeUnits::Binary);

} // namespace kurvo
