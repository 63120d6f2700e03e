// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/async.h"

#include <QPointer>

namespace kurvo::app {

AsyncProblems& AsyncProblems::instance()
{
    static AsyncProblems problems;
    return problems;
}

void detail::post(QThreadPool& pool, QObject* context, std::function<std::function<void()>()> work)
{
    // Lives on the interface thread as long as the program, so that a worker never touches `context`.
    static QObject relay;
    pool.start([guard = QPointer<QObject>(context), work = std::move(work)] {
        QMetaObject::invokeMethod(
            &relay,
            [guard, then = work()] {
                if (guard)
                    then();
            },
            Qt::QueuedConnection);
    });
}

QString detail::sentenceOf(const std::exception* thrown)
{
    if (dynamic_cast<const std::bad_alloc*>(thrown))
        return QObject::tr("There is not enough memory for this. Close other programs or places and try again.");
    return thrown ? QObject::tr("This ended with a fault of Kurvo: %1. Nothing else is affected; try again.")
                        .arg(QString::fromLocal8Bit(thrown->what()))
                  : QObject::tr("This ended with a fault of Kurvo. Nothing else is affected; try again.");
}

} // namespace kurvo::app
