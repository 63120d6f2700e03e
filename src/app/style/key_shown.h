// SPDX-License-Identifier: GPL-3.0-or-later
// A button that shows its command's key behind its words.
#pragma once

#include <QAbstractButton>
#include <QString>
#include <QVariant>

namespace kurvo::app {

/// Other words; the key stays behind them. Interface thread, as below.
inline void setWords(QAbstractButton* button, const QString& words)
{
    const auto key = button->property("keyShown").toString();
    button->setText(key.isEmpty() ? words : QStringLiteral("%1   %2").arg(words, key));
}

/// From now on the key (as text) stands behind the button's words.
inline void setKeyShown(QAbstractButton* button, const QString& key)
{
    const auto words = button->text();
    button->setProperty("keyShown", key);
    setWords(button, words);
}

} // namespace kurvo::app
