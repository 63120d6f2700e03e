// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/scan/scan_cards.h"

#include <algorithm>
#include <set>

#include "app/style/words.h"
#include "core/compare/joint_history.h"
#include "core/platform/folders.h"
#include "core/snapshot/together.h"

namespace kurvo::app {
namespace {

/// Says of a place when it was scanned and how what it holds changed since the whole snapshot before: " · +18 GiB since
/// 30 April". The two are noted, so that it can be told what grew.
QString trendOf(const Catalogue& catalogue, const CatalogueEntry& newest, CardFacts& facts)
{
    const auto& last = newest.info;
    if (last.partial)
        return {};
    facts.grown = {newest.path, {}, last.id, {}};
    const auto all = snapshotsOf(catalogue, last);
    const auto* before = wholeBefore(all, last);
    if (!before)
        return {};
    facts.grown = {newest.path, before->path, last.id, before->info.id};
    PlaceHistory history;
    for (const auto& entry : all) // newest first
        if (!entry.info.partial && entry.info.taken <= last.taken)
            history.points.insert(history.points.begin(), {{}, entry.info, {}, {}});
    const auto growth =
        signedSizeText(static_cast<std::int64_t>(last.diskBytes) - static_cast<std::int64_t>(before->info.diskBytes));
    // When it is full, as it looked at that scan: then there is no room for since when.
    if (last.place == last.mountPoint)
        if (const auto forecast = forecastOf(history, last.sample ? last.taken : currentTime()); forecast.full) {
            const auto text = QString::fromStdString(forecast.words);
            return growth + QStringLiteral(" · ") + text.left(1).toLower() + text.mid(1);
        }
    return QObject::tr("%1 since %2").arg(growth, whenText(before->info.taken));
}

/// Facts beside each other, without those that there are not.
QString joined(QStringList facts)
{
    facts.removeAll(QString());
    return facts.join(QStringLiteral(" · "));
}

/// "last scan 31 May" for the newest snapshot of a place on this machine, with the trend.
void sayLastScan(const Catalogue& catalogue, CardFacts& facts)
{
    const auto host = hostName();
    facts.lastScan = QObject::tr("never scanned");
    for (const auto& entry : catalogue.entries)
        if (entry.info.place == facts.path && entry.info.host == host) {
            facts.lastScan =
                joined({(entry.info.partial ? QObject::tr("last scan %1 (partial)") : QObject::tr("last scan %1"))
                            .arg(whenText(entry.info.taken)),
                        trendOf(catalogue, entry, facts)});
            return;
        }
}

QString foldedText(FoldedAway reason)
{
    switch (reason) {
    case FoldedAway::SameFilesystem:
        return QObject::tr("a further mount of the same filesystem");
    case FoldedAway::Pseudo:
        return QObject::tr("virtual filesystem, holds no files of its own");
    case FoldedAway::Memory:
        return QObject::tr("memory of the system");
    case FoldedAway::NoAnswer:
        return QObject::tr("does not answer");
    case FoldedAway::No:
        break;
    }
    return {};
}

} // namespace

CardFacts driveCard(const Drive& drive, const Catalogue& catalogue)
{
    CardFacts facts;
    facts.name = toText(drive.name);
    QStringList about{toText(drive.mountPoint), toText(drive.filesystem),
                      QString::fromLatin1(deviceKindName(drive.kind))};
    about.removeAll(QString());
    if (drive.readOnly)
        about << QObject::tr("read-only");
    facts.about = about.join(QStringLiteral(" · "));
    facts.path = drive.mountPoint;
    sayLastScan(catalogue, facts);
    if (drive.folded != FoldedAway::No)
        facts.lastScan = foldedText(drive.folded);
    else if (drive.kind == DeviceKind::Network)
        facts.lastScan = QObject::tr("%1 · network drives can take long").arg(facts.lastScan);
    facts.capacity = drive.capacity;
    return facts;
}

std::vector<CardFacts> sampleCards(const Catalogue& catalogue)
{
    std::vector<CardFacts> cards;
    std::set<std::string> seen;
    for (const auto& entry : catalogue.entries) {
        if (!entry.info.sample || !seen.insert(entry.info.placeName).second)
            continue;
        CardFacts facts;
        facts.name = toText(entry.info.placeName);
        facts.about =
            QStringLiteral("%1 · %2 · %3")
                .arg(toText(entry.info.mountPoint), toText(entry.info.filesystem), QObject::tr("sample data"));
        facts.lastScan = joined({QObject::tr("opens the snapshot of %1").arg(whenText(entry.info.taken)),
                                 trendOf(catalogue, entry, facts)});
        facts.capacity = entry.info.capacity;
        facts.snapshot = entry.path;
        cards.push_back(facts);
    }
    std::sort(cards.begin(), cards.end(), [](const CardFacts& a, const CardFacts& b) { return a.about < b.about; });
    return cards;
}

CardFacts practiceCard(const std::string& path, const Catalogue& catalogue)
{
    CardFacts facts;
    facts.path = path;
    facts.name = QObject::tr("Practice folder");
    facts.about = QObject::tr("real files, about 300 MiB, to try every action on");
    sayLastScan(catalogue, facts);
    return facts;
}

CardFacts setCard(const PlaceSet& set, const Catalogue& catalogue)
{
    CardFacts facts;
    facts.set = set;
    facts.name = toText(set.name);
    facts.about = QObject::tr("set of %1").arg(toText(namesOf(set.places)));
    std::vector<std::vector<CatalogueEntry>> ofEach;
    for (const auto& place : set.places)
        ofEach.push_back(snapshotsOf(catalogue, place));
    const auto points = jointHistory(ofEach, set.name);
    if (points.empty()) {
        facts.lastScan = QObject::tr("not all of it was scanned");
        return facts;
    }
    const auto& last = points.back().info;
    facts.capacity = last.capacity;
    facts.lastScan = QObject::tr("last scan %1").arg(whenText(last.taken));
    if (points.size() > 1) {
        const auto& before = points[points.size() - 2].info;
        const auto grown = static_cast<std::int64_t>(last.diskBytes) - static_cast<std::int64_t>(before.diskBytes);
        facts.lastScan =
            joined({facts.lastScan, QObject::tr("%1 since %2").arg(signedSizeText(grown), whenText(before.taken))});
    }
    return facts;
}

} // namespace kurvo::app
