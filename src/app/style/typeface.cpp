// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/typeface.h"

#include <QFont>
#include <QFontDatabase>
#include <QRawFont>
#include <QtEndian>

#include <utility>
#include <vector>

namespace kurvo::app {
namespace {

constexpr auto known = "Inter", own = "Kurvo Inter";

template <typename Number>
void append(QByteArray& bytes, Number number)
{
    number = qToBigEndian(number);
    bytes.append(reinterpret_cast<const char*>(&number), sizeof number);
}

/// The table of names: family, weight, both together, and the name for printers (OpenType specification, "name").
QByteArray nameTable(const QString& style)
{
    const auto family = QString::fromLatin1(own);
    const std::pair<quint16, QString> names[] = {
        {1, family}, {2, style}, {4, family + QLatin1Char(' ') + style}, {6, QStringLiteral("KurvoInter-") + style}};
    constexpr quint16 windows = 3, unicode = 1, english = 0x409;
    QByteArray records, texts;
    for (const auto& [id, name] : names) {
        for (const auto number : {windows, unicode, english, id})
            append(records, number);
        append(records, static_cast<quint16>(2 * name.size()));
        append(records, static_cast<quint16>(texts.size()));
        for (const QChar c : name)
            append(texts, static_cast<quint16>(c.unicode()));
    }
    QByteArray table;
    append<quint16>(table, 0);
    append(table, static_cast<quint16>(std::size(names)));
    append(table, static_cast<quint16>(6 + records.size()));
    return table + records + texts;
}

/// A font file (OpenType specification, "Organization of an OpenType font") of what the font has but its substitutions;
/// nothing where it is none that this can be done with.
QByteArray withoutSubstitutions(const QRawFont& font, const QString& style)
{
    // In the order in which they must come.
    static constexpr const char* kept[] = {"CFF ", "GDEF", "GPOS", "OS/2", "cmap", "cvt ", "fpgm", "gasp", "glyf",
                                           "head", "hhea", "hmtx", "loca", "maxp", "name", "post", "prep"};
    const bool outlines = !font.fontTable("CFF ").isEmpty();
    if (!font.fontTable("fvar").isEmpty() || (!outlines && font.fontTable("glyf").isEmpty()))
        return {}; // of all weights at once, or no outlines
    std::vector<std::pair<const char*, QByteArray>> tables;
    for (const auto* tag : kept)
        if (auto table = qstrcmp(tag, "name") == 0 ? nameTable(style) : font.fontTable(tag); !table.isEmpty())
            tables.emplace_back(tag, std::move(table));
    const auto count = static_cast<quint16>(tables.size());
    quint16 power = 1, log = 0;
    for (; 2 * power <= count; power = static_cast<quint16>(2 * power))
        ++log;
    QByteArray file(outlines ? "OTTO" : QByteArray("\0\1\0\0", 4)), contents;
    append(file, count);
    append(file, static_cast<quint16>(16 * power));
    append(file, log);
    append(file, static_cast<quint16>(16 * (count - power)));
    for (const auto& [tag, table] : tables) {
        file.append(tag, 4);
        append<quint32>(file, 0); // a sum that nobody looks at
        append(file, static_cast<quint32>(12 + 16 * count + contents.size()));
        append(file, static_cast<quint32>(table.size()));
        contents += table;
        contents.append((4 - contents.size() % 4) % 4, '\0');
    }
    return file + contents;
}

/// False where it is not there, or is one of another kind.
bool loadOwn()
{
    const std::pair<QFont::Weight, const char*> weights[] = {
        {QFont::Normal, "Regular"}, {QFont::Medium, "Medium"}, {QFont::DemiBold, "SemiBold"}, {QFont::Bold, "Bold"}};
    std::vector<QByteArray> files;
    for (const auto& [weight, style] : weights) {
        const auto font = QRawFont::fromFont(QFont(QString::fromLatin1(known), 12, weight));
        if (font.familyName() != QLatin1String(known))
            return false;
        files.push_back(withoutSubstitutions(font, QString::fromLatin1(style)));
        if (files.back().isEmpty())
            return false;
    }
    for (const auto& file : files)
        if (QFontDatabase::addApplicationFontFromData(file) < 0)
            return false;
    return true;
}

} // namespace

const QStringList& typeface()
{
    // Where it cannot be had, others that draw each letter by itself come before Inter as it is.
    static const QStringList families{QString::fromLatin1(loadOwn() ? own : "Noto Sans"), QStringLiteral("Noto Sans"),
                                      QStringLiteral("DejaVu Sans"), QString::fromLatin1(known),
                                      QStringLiteral("sans-serif")};
    return families;
}

QByteArray withKnownFamily(QByteArray svg)
{
    return svg.replace(QByteArray("font-family=\"") + own + '"', QByteArray("font-family=\"") + known + '"');
}

} // namespace kurvo::app
