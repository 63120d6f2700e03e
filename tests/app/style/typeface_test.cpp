// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <QFontInfo>
#include <QLabel>
#include <QRawFont>
#include <QTextLayout>

#include "app/style/theme.h"
#include "app/style/typeface.h"
#include "app/style/words.h"

using namespace kurvo::app;

namespace {

/// What is drawn for a text, one number for each letter or what stands for several.
QList<quint32> drawn(const QString& text, const QFont& font)
{
    QTextLayout layout(text, font);
    layout.beginLayout();
    (void)layout.createLine();
    layout.endLayout();
    QList<quint32> all;
    for (const auto& run : layout.glyphRuns())
        all += run.glyphIndexes();
    return all;
}

} // namespace

TEST_CASE("names are drawn letter by letter", "[typeface]")
{
    const auto weight = GENERATE(QFont::Normal, QFont::Medium, QFont::DemiBold, QFont::Bold);
    const auto font = fontOf(13, weight);
    INFO(QFontInfo(font).family().toStdString() << " " << weight);
    CHECK(QFontInfo(font).family() == typeface().first());
    CHECK(QFontInfo(font).weight() == weight);
    for (const QString name : {"a->b", "<-old", "1920x1080.mov", "12:30", "=>", "--> (c) ... !=", "fi ffl"}) {
        QList<quint32> letters;
        for (const QChar c : name)
            letters += drawn(QString(c), font);
        INFO(name.toStdString());
        CHECK(drawn(name, font) == letters);
    }
    // What belongs together stays so: a letter and its accent, written as two, and writing that is joined.
    CHECK(drawn(QString::fromUtf8("e\u0301"), font) == drawn(QString::fromUtf8("\u00e9"), font));
    const auto joined = QString::fromUtf8("\u0628\u064a\u062a");
    QList<quint32> apart;
    for (const QChar c : joined)
        apart += drawn(QString(c), font);
    CHECK(drawn(joined, font) != apart);
}

TEST_CASE("a name in a wrapped text stays in one line", "[typeface]")
{
    const auto lines = [](const QString& text) {
        QLabel label(QStringLiteral("<nobr>%1</nobr>").arg(text));
        label.setWordWrap(true);
        label.setFont(fontOf(13));
        return label.heightForWidth(40) / QFontMetrics(label.font()).height();
    };
    CHECK(lines("recorder.log.1") == 2);
    CHECK(lines(inOneLine("recorder.log.1")) == 1);
    CHECK(lines(inOneLine("sea watch - (2)_old.tar.gz")) == 1);
}

TEST_CASE("what is taken along names the typeface as others know it", "[typeface]")
{
    CHECK(withKnownFamily("<text font-family=\"Kurvo Inter\">font-family=&quot;Kurvo Inter&quot;</text>") ==
          "<text font-family=\"Inter\">font-family=&quot;Kurvo Inter&quot;</text>");
}
