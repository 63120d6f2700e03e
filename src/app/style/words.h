// SPDX-License-Identifier: GPL-3.0-or-later
// From the core's figures and bytes to what stands on the screen.
#pragma once

#include <QString>

#include <cstdint>
#include <string>
#include <string_view>

#include "core/advice/rule_book.h"
#include "core/base/figures.h"
#include "core/plan/plan.h"

namespace kurvo::app {

/// Bytes of a name or path, made fit to be shown.
QString toText(std::string_view bytes);

/// A path that may be wrapped after each slash, where people read it, and such a text as it was.
QString breakable(const QString& path);
QString unbroken(QString text);
/// A name that is not taken apart at its dots and dashes where a text is wrapped.
QString inOneLine(const QString& name);

/// Sizes in the units chosen in the menu.
void setSizeUnits(SizeUnits units);
SizeUnits sizeUnits();
QString sizeText(std::uint64_t bytes);
/// "+61.0 GiB", "−6.00 GiB", "0".
QString signedSizeText(std::int64_t bytes);

/// A sentence about an item without its path, for where that stands beside it.
QString withoutPath(const std::string& sentence, const std::string& path);

QString countText(std::uint64_t count);
QString itemsText(std::uint64_t count, const char* noun, const char* plural = "");
QString shareText(std::uint64_t part, std::uint64_t whole);
/// "today 09:12" in local time.
QString whenText(std::int64_t time);
/// A day in words, in the language of the window. Long: "12 March 2026", or "today"; ThisYear: without the year where
/// it is this one; Axis: "12 Mar", or "today"; Month: "Mar 2026".
enum class Day { Long, ThisYear, Axis, Month };
QString dayText(std::int64_t time, Day style = Day::Long);

/// Permission bits in words: "owner: read, write · group: read · others: nothing".
QString permissionText(std::uint32_t mode, bool folder);

/// "Usually safe", as it stands in lists and panels.
QString adviceLevelText(AdviceLevel level);

/// "to the trash", "delete for good", "move to skerry-archive, leave a link".
QString intentText(const PlanItem& item);

} // namespace kurvo::app
