// SPDX-License-Identifier: GPL-3.0-or-later
// What is used, reconciled with what was seen; and what could not be read.
#include <fmt/format.h>

#include "core/ledger/ledger.h"
#include "terminal/pages.h"

namespace kurvo::terminal {
namespace {

std::vector<std::string> ledgerLines(const Ledger& ledger, SizeUnits units)
{
    const auto size = [units](std::uint64_t bytes) { return formatBytes(bytes, units); };
    std::vector<std::string> lines{fmt::format("# {} used of {}, {} free", size(ledger.capacity.used),
                                               size(ledger.capacity.total), size(ledger.capacity.free)),
                                   ""};
    for (const auto& line : ledger.lines) {
        lines.push_back(fmt::format("{:>10}  {}", line.bytes ? size(*line.bytes) : "not known", line.title));
        if (!line.evidence.empty())
            lines.push_back("            " + line.evidence);
        constexpr std::size_t most = 8;
        for (std::size_t i = 0; i < std::min(most, line.items.size()); ++i)
            lines.push_back(fmt::format("            {:>10}  {} {}",
                                        line.items[i].bytes ? size(*line.items[i].bytes) : "",
                                        displayText(line.items[i].path), line.items[i].note));
    }
    if (ledger.excess > 0)
        lines.push_back(fmt::format("{:>10}  known more than used: shared or compressed blocks", size(ledger.excess)));
    for (const auto& line : ledger.outside)
        lines.push_back(fmt::format("{:>10}  {}", line.bytes ? size(*line.bytes) : "not known", line.title));
    return lines;
}

/// A page whose text comes when it is known.
class LateText : public TextPage {
public:
    LateText(Desk& desk, Pages& pages, std::string title, std::shared_ptr<std::vector<std::string>> lines)
        : TextPage(desk, pages, std::move(title), {"Working it out..."}), late_(std::move(lines))
    {
    }
    void refresh() override
    {
        if (!late_->empty())
            setLines(*late_);
    }

private:
    std::shared_ptr<std::vector<std::string>> late_;
};

} // namespace

std::unique_ptr<Page> ledgerPage(Desk& desk, Pages& pages)
{
    auto lines = std::make_shared<std::vector<std::string>>();
    const auto& place = desk.place();
    desk.work().run(
        [tree = place.tree, unreadable = place.unreadable, info = place.info, whole = place.wholeDrive,
         live = place.isHere && !place.fromSnapshot && !place.growing,
         units = desk.wish().units](const std::stop_token& stop) {
            if (!live)
                return info.ledger.empty()
                           ? std::vector<std::string>{"The snapshot does not say more than the figures above: its "
                                                      "ledger was not written, or it is of a part of the drive."}
                           : ledgerLines(ledgerFrom(info.ledger, info.mountPoint, info.capacity), units);
            const auto facts = readLedgerFacts(info.mountPoint, stop);
            if (!facts)
                return std::vector<std::string>{facts.error().sentence};
            return ledgerLines(
                writeLedger({tree.get(), unreadable, info.unreadable, info.partial, whole, info.exclude, 0}, *facts),
                units);
        },
        [lines, desk = &desk](std::vector<std::string> found) {
            *lines = std::move(found);
            if (desk->changed)
                desk->changed();
        });
    return std::make_unique<LateText>(desk, pages, "Ledger of " + displayText(place.info.mountPoint), lines);
}

std::unique_ptr<Page> notReadPage(Desk& desk, Pages& pages)
{
    const auto& place = desk.place();
    std::vector<std::string> lines;
    if (place.unreadable.empty())
        lines.emplace_back(place.growing ? "What could not be read is told when the scan has ended."
                                         : "Everything was read.");
    else
        lines.push_back(
            fmt::format("# {} could not be read; sudo kurvoctl browse reads what root may",
                        formatItems(std::max<std::uint64_t>(place.info.unreadable, place.unreadable.size()), "item")));
    for (const auto& item : place.unreadable)
        lines.push_back(displayText(item.path) + ": " + systemErrorText(item.sysError));
    return std::make_unique<TextPage>(desk, pages, "Unreadable items", std::move(lines));
}

} // namespace kurvo::terminal
