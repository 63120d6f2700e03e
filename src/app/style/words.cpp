// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/words.h"

#include <QDateTime>
#include <QLocale>
#include <QObject>
#include <QStringList>

#include <atomic>

#include "core/base/text.h"
#include "core/tree/node_store.h"

namespace kurvo::app {
namespace {

std::atomic<SizeUnits> chosenUnits = SizeUnits::Binary; // texts are also made on pool threads

} // namespace

QString toText(std::string_view bytes)
{
    // Several places together have a title where one has a path.
    if (bytes.starts_with(NodeStore::togetherMark))
        bytes.remove_prefix(NodeStore::togetherMark.size());
    return QString::fromStdString(displayText(bytes));
}

namespace {

constexpr QChar mayBreak(0x200B);

} // namespace

QString breakable(const QString& path)
{
    return QString(path).replace(QLatin1Char('/'), QStringLiteral("/") + mayBreak);
}

QString unbroken(QString text)
{
    return text.remove(mayBreak);
}

QString inOneLine(const QString& name)
{
    constexpr QChar wordJoiner(0x2060);
    QString joined;
    for (const QChar c : name) {
        joined += c;
        if (!c.isLetterOrNumber() && !c.isMark() && !c.isSurrogate())
            joined += wordJoiner;
    }
    return joined;
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

QString signedSizeText(std::int64_t bytes)
{
    return QString::fromStdString(formatDifference(bytes, chosenUnits));
}

QString withoutPath(const std::string& sentence, const std::string& path)
{
    const auto shown = displayText(path) + " ";
    if (!sentence.starts_with(shown))
        return QString::fromStdString(sentence);
    return QString::fromStdString(sentence.substr(shown.size()));
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

QString dayText(std::int64_t time, Day style)
{
    static const QLocale english(QLocale::English, QLocale::UnitedKingdom); // as all other words are
    const auto date = QDateTime::fromSecsSinceEpoch(time).date();
    const auto today = QDate::currentDate();
    if (date == today && (style == Day::Long || style == Day::Axis))
        return QObject::tr("today");
    const char* format = style == Day::Axis                                      ? "d MMM"
                         : style == Day::Month                                   ? "MMM yyyy"
                         : style == Day::ThisYear && date.year() == today.year() ? "d MMMM"
                                                                                 : "d MMMM yyyy";
    return english.toString(date, QLatin1String(format));
}

QString permissionText(std::uint32_t mode, bool folder)
{
    const auto of = [mode, folder](unsigned shift) {
        QStringList words;
        const auto bits = mode >> shift & 7;
        if ((bits & 4) != 0)
            words << (folder ? QObject::tr("list") : QObject::tr("read"));
        if ((bits & 2) != 0)
            words << (folder ? QObject::tr("change") : QObject::tr("write"));
        if ((bits & 1) != 0)
            words << (folder ? QObject::tr("enter") : QObject::tr("run"));
        return words.isEmpty() ? QObject::tr("nothing") : words.join(", ");
    };
    QStringList text{QObject::tr("owner: %1 · group: %2 · others: %3").arg(of(6), of(3), of(0))};
    if ((mode & 04000) != 0)
        text << QObject::tr("runs as its owner");
    if ((mode & 02000) != 0)
        text << (folder ? QObject::tr("what is created in it gets its group") : QObject::tr("runs as its group"));
    if ((mode & 01000) != 0 && folder)
        text << QObject::tr("only owners can remove their own");
    return text.join(QStringLiteral(" · "));
}

QString adviceLevelText(AdviceLevel level)
{
    const QString texts[] = {QObject::tr("Leave alone"), QObject::tr("Use its own tool"), QObject::tr("Your call"),
                             QObject::tr("Usually safe")};
    return texts[static_cast<std::size_t>(level)];
}

QString intentText(const PlanItem& item)
{
    switch (item.action) {
    case Action::EmptyTrash:
        return QObject::tr("empty the trash");
    case Action::Delete:
        return QObject::tr("delete for good");
    case Action::Move:
        return item.leaveLink ? QObject::tr("move to %1, leave a link").arg(toText(item.destination))
                              : QObject::tr("move to %1").arg(toText(item.destination));
    case Action::Trash:
        break;
    }
    return QObject::tr("to the trash");
}

} // namespace kurvo::app
