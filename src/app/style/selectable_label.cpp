// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/selectable_label.h"

#include <QClipboard>
#include <QContextMenuEvent>
#include <QGuiApplication>
#include <QKeyEvent>
#include <QMenu>

#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// Lines as lines, and spaces as spaces: what is selected has signs of its own for them.
QString asCopied(QString selected)
{
    return unbroken(selected.replace(QChar::ParagraphSeparator, '\n')
                        .replace(QChar::LineSeparator, '\n')
                        .replace(QChar::Nbsp, ' '));
}

} // namespace

SelectableLabel::SelectableLabel(const QString& text, QWidget* parent) : QLabel(text, parent)
{
    setTextFormat(Qt::PlainText); // names are no markup
    setWordWrap(true);
    setTextInteractionFlags(Qt::TextSelectableByMouse);
}

void SelectableLabel::copy() const
{
    QGuiApplication::clipboard()->setText(asCopied(selectedText()));
}

/// What is selected can be pasted with the middle button at once, on desktops that know that.
void SelectableLabel::tellSelection() const
{
    auto* clipboard = QGuiApplication::clipboard();
    if (hasSelectedText() && clipboard->supportsSelection())
        clipboard->setText(asCopied(selectedText()), QClipboard::Selection);
}

void SelectableLabel::keyPressEvent(QKeyEvent* event)
{
    if (event->matches(QKeySequence::Copy) && hasSelectedText())
        copy();
    else
        QLabel::keyPressEvent(event);
}

/// What is selected is not dragged away: it would go with its marks.
void SelectableLabel::mousePressEvent(QMouseEvent* event)
{
    if (event->button() == Qt::LeftButton && hasSelectedText() && (event->modifiers() & Qt::ShiftModifier) == 0)
        setSelection(0, 0);
    QLabel::mousePressEvent(event);
}

void SelectableLabel::mouseReleaseEvent(QMouseEvent* event)
{
    QLabel::mouseReleaseEvent(event);
    tellSelection();
}

void SelectableLabel::mouseDoubleClickEvent(QMouseEvent* event)
{
    QLabel::mouseDoubleClickEvent(event);
    tellSelection();
}

void SelectableLabel::contextMenuEvent(QContextMenuEvent* event)
{
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    auto* selected = menu->addAction(tr("Copy selected text"), this, &SelectableLabel::copy);
    selected->setEnabled(hasSelectedText());
    menu->addAction(tr("Copy all of it"), this, [this] { QGuiApplication::clipboard()->setText(unbroken(text())); });
    menu->popup(event->globalPos());
}

} // namespace kurvo::app
