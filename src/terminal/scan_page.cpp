// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "terminal/pages.h"

namespace kurvo::terminal {

ScanPage::ScanPage(Desk& desk, Pages& pages) : ListPage(desk, pages)
{
    read();
}

void ScanPage::read()
{
    desk_.work().run(
        [user = desk_.wish().user, snapshots = desk_.wish().snapshots](const std::stop_token&) {
            std::vector<Row> rows;
            if (auto drives = readDrives())
                for (auto& drive : *drives)
                    rows.push_back({drive.name, drive.mountPoint, drive, {}});
            rows.push_back({"Home folder", user.home, {}, {}});
            constexpr std::size_t most = 12;
            const auto catalogue = readCatalogue(snapshots);
            for (std::size_t i = 0; i < std::min(most, catalogue.entries.size()); ++i) {
                const auto& entry = catalogue.entries[i];
                rows.push_back(
                    {entry.info.placeName.empty() ? entry.info.place : entry.info.placeName, entry.path, {}, entry});
            }
            return rows;
        },
        [this](std::vector<Row> rows) {
            rows_ = std::move(rows);
            desk_.changed();
        });
}

void ScanPage::drawRow(Screen& screen, int y, int width, std::size_t row)
{
    const auto& r = rows_[row];
    int x = 1;
    if (r.drive) {
        const auto& c = r.drive->capacity;
        screen.putRight(y, x, desk_.size(c.used), 10);
        screen.putRight(y, x + 11, shortShare(c.used, c.total), 7, Ink::Second);
        screen.bar(y, x + 19, 12, c.total == 0 ? 0 : static_cast<double>(c.used) / static_cast<double>(c.total));
        screen.putRight(y, x + 32, desk_.size(c.free) + " free", 15, Ink::Second);
        x += 49;
        x += screen.put(y, x, r.words, std::max(8, width - x - 20), Ink::Strong) + 2;
        screen.put(y, x, r.path, width - x - 1, Ink::Second, Cut::Middle);
        return;
    }
    if (r.kept) {
        screen.putRight(y, x, desk_.size(r.kept->info.diskBytes), 10);
        screen.put(y, x + 12, "snapshot " + formatTime(r.kept->info.taken), 26, Ink::Second);
        x += 39;
        x += screen.put(y, x, r.kept->info.host, 12, Ink::Second) + 1;
        screen.put(y, x, r.words, width - x - 1, Ink::Plain, Cut::Middle);
        return;
    }
    screen.put(y, x + 12, r.words, 24, Ink::Strong);
    screen.put(y, x + 39, r.path, width - x - 40, Ink::Second, Cut::Middle);
}

void ScanPage::activate(std::size_t row)
{
    desk_.open(rows_[row].path);
}

bool ScanPage::key(const Key& key)
{
    if (key.name == "F5") {
        read();
        return true;
    }
    return ListPage::key(key);
}

std::string ScanPage::pointer() const
{
    if (selected() >= rows_.size())
        return {};
    const auto& r = rows_[selected()];
    if (r.drive)
        return fmt::format("{} of {} used, {}, {}  {}", desk_.size(r.drive->capacity.used),
                           desk_.size(r.drive->capacity.total), deviceKindName(r.drive->kind), r.drive->filesystem,
                           r.path);
    if (r.kept)
        return fmt::format("{}, scanned {}{}  {}", formatItems(r.kept->info.entries, "entry", "entries"),
                           formatTime(r.kept->info.taken), r.kept->info.partial ? ", partial" : "", r.path);
    return r.path;
}

std::vector<std::pair<std::string, std::string>> ScanPage::hints() const
{
    return {{"Enter", "scan or open"}, {"G", "go to path"}};
}

} // namespace kurvo::terminal
