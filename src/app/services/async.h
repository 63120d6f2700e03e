// SPDX-License-Identifier: GPL-3.0-or-later
// Work off the interface thread. Work that throws (no memory, a library that gives up) ends as well: who began it hears
// of it, so that nothing stays "in progress" for ever.
#pragma once

#include <QFuture>
#include <QObject>
#include <QString>
#include <QThreadPool>
#include <QtConcurrent/QtConcurrentRun>

#include <exception>
#include <functional>
#include <memory>
#include <new>
#include <optional>
#include <type_traits>
#include <utility>

namespace kurvo::app {

/// What is told of work that threw, where whoever began it does not say so itself.
class AsyncProblems : public QObject {
    Q_OBJECT
public:
    static AsyncProblems& instance();
    /// Any thread.
    void tell(const QString& sentence) { emit told(sentence); }

signals:
    void told(const QString& sentence);
};

namespace detail {

/// What work came to: its result, or why there is none.
template <typename T>
struct Outcome {
    std::shared_ptr<T> result;
    QString problem;
};

QString sentenceOf(const std::exception* thrown);

template <typename Work>
auto guarded(Work work)
{
    using Result = std::decay_t<std::invoke_result_t<Work&>>;
    return [work = std::move(work)]() mutable -> Outcome<Result> {
        try {
            return {std::make_shared<Result>(work()), {}};
        } catch (const std::exception& thrown) {
            return {nullptr, sentenceOf(&thrown)};
        } catch (...) {
            return {nullptr, sentenceOf(nullptr)};
        }
    };
}

template <typename Result, typename Done>
auto handing(Done done, std::function<void(const QString&)> failed)
{
    return [done = std::move(done), failed = std::move(failed)](const Outcome<Result>& outcome) mutable {
        if (outcome.result)
            done(std::move(*outcome.result));
        else if (failed)
            failed(outcome.problem);
        else
            AsyncProblems::instance().tell(outcome.problem);
    };
}

} // namespace detail

/// Runs `work` on a pool thread and then `done(result)` on the thread of `context`, unless `context` is gone by then.
/// Where the work throws, `failed(sentence)` is called instead; without it the window says the sentence.
template <typename Work, typename Done>
void runAsync(QThreadPool& pool, QObject* context, Work work, Done done,
              std::function<void(const QString&)> failed = nullptr)
{
    using Result = std::decay_t<std::invoke_result_t<Work&>>;
    QtConcurrent::run(&pool, detail::guarded(std::move(work)))
        .then(context, detail::handing<Result>(std::move(done), std::move(failed)));
}

template <typename Work, typename Done>
void runAsync(QObject* context, Work work, Done done, std::function<void(const QString&)> failed = nullptr)
{
    runAsync(*QThreadPool::globalInstance(), context, std::move(work), std::move(done), std::move(failed));
}

} // namespace kurvo::app
