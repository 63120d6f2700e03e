// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/mnemonics.h"

#include <QAbstractButton>
#include <QAction>
#include <QMenu>
#include <QToolButton>
#include <QVariant>

#include <set>

#include "app/style/hold_button.h"

namespace kurvo::app {
namespace {

constexpr auto wordsBefore = "wordsBefore";

/// Where an '&' marks a letter; -1 for nowhere.
qsizetype markIn(const QString& words)
{
    for (qsizetype i = 0; i + 1 < words.size(); ++i)
        if (words[i] == QLatin1Char('&')) {
            if (words[i + 1] != QLatin1Char('&'))
                return i;
            ++i;
        }
    return -1;
}

/// The letter that is best to mark and not taken: the first of the words, of another word, any.
qsizetype bestIn(const QString& words, const std::set<QChar>& taken)
{
    qsizetype best = -1;
    int bestRank = 3;
    for (qsizetype i = 0; i < words.size() && bestRank > 0; ++i) {
        if (words[i] == QLatin1Char('\t'))
            break; // the key
        if (!words[i].isLetterOrNumber() || words[i].unicode() > 0x7e || taken.contains(words[i].toLower()))
            continue;
        const int rank = i == 0 ? 0 : words[i - 1].isSpace() ? 1 : 2;
        if (rank < bestRank) {
            best = i;
            bestRank = rank;
        }
    }
    return best;
}

} // namespace

QStringList withMnemonics(const QStringList& words)
{
    std::set<QChar> taken;
    for (const auto& one : words)
        if (const auto at = markIn(one); at >= 0)
            taken.insert(one[at + 1].toLower());
    QStringList all;
    for (auto one : words) {
        if (const auto at = markIn(one) >= 0 ? -1 : bestIn(one, taken); at >= 0) {
            taken.insert(one[at].toLower());
            one.insert(at, QLatin1Char('&'));
        }
        all << one;
    }
    return all;
}

QString asRead(QString name)
{
    return name.replace(QLatin1Char('&'), QLatin1String("&&"));
}

void giveMnemonics(QMenu& menu)
{
    QStringList words;
    for (const auto* action : menu.actions())
        words << action->text();
    const auto marked = withMnemonics(words);
    for (qsizetype i = 0; i < marked.size(); ++i)
        if (auto* action = menu.actions()[i]; marked[i] != words[i]) {
            action->setProperty(wordsBefore, words[i]);
            action->setText(marked[i]);
        }
}

void takeMnemonics(QMenu& menu)
{
    for (auto* action : menu.actions())
        if (const auto before = action->property(wordsBefore); before.isValid()) {
            // Other words may have come while it was shown.
            if (auto now = action->text(); now.remove(QLatin1Char('&')) == before.toString().remove(QLatin1Char('&')))
                action->setText(before.toString());
            action->setProperty(wordsBefore, {});
        }
}

void giveMnemonics(QWidget& dialog)
{
    QList<QAbstractButton*> buttons;
    QStringList words;
    for (auto* button : dialog.findChildren<QAbstractButton*>())
        if (button->window() == &dialog && !button->text().isEmpty() && !qobject_cast<HoldButton*>(button) &&
            !qobject_cast<QToolButton*>(button)) {
            buttons << button;
            words << button->text();
        }
    const auto marked = withMnemonics(words);
    for (qsizetype i = 0; i < marked.size(); ++i)
        if (marked[i] != words[i])
            buttons[i]->setText(marked[i]);
}

} // namespace kurvo::app
