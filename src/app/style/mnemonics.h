// SPDX-License-Identifier: GPL-3.0-or-later
// The underlined letters of menus and dialogs: given when one is shown, so that none is forgotten and no two are alike.
#pragma once

#include <QString>
#include <QStringList>

class QMenu;
class QWidget;

namespace kurvo::app {

/// These words, each with a letter or digit of its own behind an '&' where there is one left: the first of a word if
/// it can be. Words that have theirs keep it; "&&" is a '&' that is read.
[[nodiscard]] QStringList withMnemonics(const QStringList& words);

/// A name in words where '&' marks a letter: read as it is.
[[nodiscard]] QString asRead(QString name);

/// For the time that the menu is shown, its entries have mnemonics; afterwards they are what they were. Interface
/// thread, as below.
void giveMnemonics(QMenu& menu);
void takeMnemonics(QMenu& menu);

/// The buttons and boxes of a dialog have mnemonics; what deletes for good has none.
void giveMnemonics(QWidget& dialog);

} // namespace kurvo::app
