// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lists/item_drag.h"

#include <QApplication>
#include <QDrag>
#include <QFile>
#include <QMimeData>
#include <QMouseEvent>
#include <QUrl>

namespace kurvo::app {

ItemDrag::ItemDrag(QWidget* view, std::function<bool(const QPoint&)> mayDrag, Paths paths)
    : QObject(view), view_(view), mayDrag_(std::move(mayDrag)), paths_(std::move(paths))
{
    view->installEventFilter(this);
}

ItemDrag* ItemDrag::ofRows(QAbstractItemView* view, Paths paths)
{
    return new ItemDrag(
        view->viewport(),
        [view](const QPoint& at) {
            const auto index = view->indexAt(at);
            return index.isValid() && view->selectionModel()->isSelected(index);
        },
        std::move(paths));
}

bool ItemDrag::eventFilter(QObject* watched, QEvent* event)
{
    if (watched != view_)
        return false;
    const auto mouse = [event] { return static_cast<const QMouseEvent*>(event); };
    switch (event->type()) {
    case QEvent::MouseButtonPress:
        pressed_ = mouse()->position().toPoint();
        armed_ = mouse()->button() == Qt::LeftButton && mouse()->modifiers() == Qt::NoModifier && mayDrag_(pressed_);
        break;
    case QEvent::MouseButtonRelease:
        armed_ = false;
        break;
    case QEvent::MouseMove: {
        const int far = QApplication::startDragDistance() * 2;
        if (!armed_ || (mouse()->buttons() & Qt::LeftButton) == 0 ||
            (mouse()->position().toPoint() - pressed_).manhattanLength() < far)
            break;
        armed_ = false;
        auto* drag = new QDrag(view_); // Qt deletes it
        auto* data = new QMimeData;
        data->setData(QString::fromLatin1(draggedItems), QByteArray("1"));
        QList<QUrl> urls; // for a file manager or an editor
        for (const auto& path : paths_())
            urls << QUrl::fromLocalFile(QFile::decodeName(path.c_str()));
        if (!urls.isEmpty())
            data->setUrls(urls);
        drag->setMimeData(data);
        drag->exec(Qt::CopyAction);
        return true;
    }
    default:
        break;
    }
    return false;
}

} // namespace kurvo::app
