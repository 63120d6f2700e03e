// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/trail.h"

#include <QAbstractItemView>
#include <QFile>
#include <QKeyEvent>

#include "app/services/listen.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {

Trail::Trail(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, Notices& notices, const AppFolders& folders,
             QWidget* parent)
    : QLineEdit(parent), places_(places), trees_(trees), cursor_(cursor), notices_(notices), folders_(folders),
      names_(new QStringListModel(this))
{
    setObjectName("trail");
    setAccessibleName(tr("Path of the current folder"));
    setToolTip(tr("Where you are. Type a path to go there"));
    setFrame(false);
    auto* completer = new QCompleter(names_, this);
    completer->setCompletionMode(QCompleter::PopupCompletion);
    completer->setMaxVisibleItems(12);
    setCompleter(completer);
    connect(this, &QLineEdit::textEdited, this, &Trail::complete);
    listen(
        this,
        [this] {
            if (!isModified() || !hasFocus())
                refresh();
        },
        places_, &PlaceStore::placeChanged, cursor_, &Cursor::focusChanged, trees_, &TreeUpdater::treeChanged);
    refresh();
}

void Trail::refresh()
{
    const auto* place = places_.place();
    const auto path = place ? toText(place->tree->path(place->focus)) : QString();
    setStyleSheet({});
    wrong_ = false;
    if (text() != path)
        setText(path);
    setModified(false);
    setCursorPosition(static_cast<int>(path.size()));
}

void Trail::startTyping()
{
    setFocus(Qt::ShortcutFocusReason);
    selectAll();
}

/// Offers the folders and files that begin like the last name typed, largest first.
void Trail::complete(const QString& typed)
{
    const auto* place = places_.place();
    if (!place)
        return;
    if (wrong_) {
        setStyleSheet({});
        wrong_ = false;
    }
    const auto cut = typed.lastIndexOf(QLatin1Char('/'));
    const auto folder = QFile::encodeName(typed.left(std::max<qsizetype>(cut, 1))).toStdString();
    const auto begin = QFile::encodeName(typed.mid(cut + 1)).toStdString();
    QStringList offers;
    const auto& tree = *place->tree;
    if (const auto node = tree.find(folder); node && tree.isFolder(*node)) {
        constexpr std::uint32_t mostLookedAt = 5000;
        constexpr qsizetype mostOffered = 50;
        if (tree.countChildren(*node) <= mostLookedAt)
            for (const NodeId child : tree.sortedChildren(*node, places_.measure()))
                if (tree.name(child).starts_with(begin) && offers.size() < mostOffered)
                    offers << toText(tree.path(child));
    }
    names_->setStringList(offers);
}

void Trail::go()
{
    const auto* place = places_.place();
    if (!place)
        return;
    auto wanted = text().trimmed();
    if (wanted.startsWith(QLatin1String("~")))
        wanted = QString::fromStdString(folders_.user.home) + wanted.mid(1);
    // A name alone is one in here.
    auto path = QFile::encodeName(wanted).toStdString();
    if (!wanted.startsWith(QLatin1Char('/')))
        path = joinPath(place->tree->path(place->focus), path);
    setModified(false);
    if (cursor_.goTo(path))
        return refresh();
    wrong_ = true;
    setModified(true);
    setStyleSheet(QStringLiteral("QLineEdit { color: %1; }").arg(theme().danger.name()));
    notices_.say(isAtOrBelow(path, place->info.place)
                     ? tr("%1 was not found in this scan.").arg(wanted)
                     : tr("%1 is outside of this place, which is %2. Scan it as a place of its own.")
                           .arg(wanted, toText(place->info.place)),
                 Severity::Warning);
}

void Trail::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
        completer()->popup()->hide();
        return go();
    }
    if (const auto typed = text(); event->key() == Qt::Key_Escape) {
        refresh();
        if (text() != typed)
            return;
    }
    QLineEdit::keyPressEvent(event);
}

void Trail::focusOutEvent(QFocusEvent* event)
{
    QLineEdit::focusOutEvent(event);
    if (event->reason() != Qt::PopupFocusReason)
        refresh();
}

} // namespace kurvo::app
