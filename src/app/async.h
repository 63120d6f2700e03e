// SPDX-License-Identifier: GPL-3.0-or-later
// Work off the interface thread.
#pragma once

#include <QFuture>
#include <QObject>
#include <QtConcurrent/QtConcurrentRun>

#include <utility>

namespace kurvo::app {

/// Runs `work` on a pool thread and then `done(result)` on the thread of `context`, unless `context` is gone by then.
template <typename Work, typename Done>
void runAsync(QObject* context, Work work, Done done)
{
    QtConcurrent::run(std::move(work)).then(context, std::move(done));
}

/// The same on a pool of the caller's, where one after the other is wanted.
template <typename Work, typename Done>
void runAsync(QThreadPool& pool, QObject* context, Work work, Done done)
{
    QtConcurrent::run(&pool, std::move(work)).then(context, std::move(done));
}

} // namespace kurvo::app
