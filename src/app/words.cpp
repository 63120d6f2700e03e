// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/words.h"

#include "core/base/text.h"

namespace kurvo::app {
namespace {

SizeUnits chosenUnits = SizeUnits::Binary; // interface thread only

} // namespace

QString toText(std::string_view bytes)
{
    return QString::fromStdString(displayText(bytes));
}

void setSizeUnits(SizeUnits units)
{
    chosenUnits = units;
}

SizeUnits sizeUnits()
{
    return chosenUnits;
}

QString sizeText(std::uint64_t bytes)
{
    return QString::fromStdString(formatBytes(bytes, chosenUnits));
}

QString countText(std::uint64_t count)
{
    return QString::fromStdString(formatCount(count));
}

QString itemsText(std::uint64_t count, const char* noun, const char* plural)
{
    return QString::fromStdString(formatItems(count, noun, plural));
}

QString shareText(std::uint64_t part, std::uint64_t whole)
{
    return QString::fromStdString(formatShare(part, whole));
}

QString whenText(std::int64_t time)
{
    return QString::fromStdString(formatWhen(time, currentTime()));
}

} // namespace kurvo::app
