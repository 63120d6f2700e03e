// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/plurals.h"

#include <QCoreApplication>
#include <QRegularExpression>

#include <utility>

namespace kurvo::app {

QString EnglishPlurals::translate(const char*, const char* text, const char*, int n) const
{
    if (n < 0)
        return {};
    static const QRegularExpression forms(QStringLiteral("\\((?:([a-z]*)\\|([a-z]*)|([a-z]+))\\)"));
    auto sentence = QString::fromUtf8(text);
    qsizetype from = 0;
    for (auto found = forms.match(sentence); found.hasMatch(); found = forms.match(sentence, from)) {
        // Only what is written onto a word is its ending; brackets stand apart.
        const auto at = found.capturedStart();
        from = at + 1;
        if (at == 0 || !sentence[at - 1].isLetter())
            continue;
        sentence.replace(at, found.capturedLength(),
                         n == 1 ? found.captured(1) : found.captured(2) + found.captured(3));
    }
    return sentence;
}

void installPlurals()
{
    static bool installed = false;
    if (std::exchange(installed, true))
        return;
    QCoreApplication::installTranslator(new EnglishPlurals(QCoreApplication::instance()));
}

} // namespace kurvo::app
