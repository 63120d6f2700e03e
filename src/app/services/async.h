// SPDX-License-Identifier: GPL-3.0-or-later
// Work off the interface thread. Work that throws (no memory, a library that gives up) ends as well: who began it hears
// of it, so that nothing stays "in progress" for ever.
#pragma once

#include <QObject>
#include <QString>
#include <QThreadPool>

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

QString sentenceOf(const std::exception* thrown);
void trimSoon();

/// Runs `work` on the pool, and what it returns on the interface thread unless `context` is gone by then.
void post(QThreadPool& pool, QObject* context, std::function<std::function<void()>()> work);

template <typename Work, typename Done>
struct Job {
    Job(Work task, Done then, std::function<void(const QString&)> otherwise)
        : work(std::move(task)), done(std::move(then)), failed(std::move(otherwise))
    {
    }
    std::optional<Work> work;
    Done done;
    std::function<void(const QString&)> failed;
    using Result = std::decay_t<std::invoke_result_t<Work&>>;
    std::unique_ptr<Result> result;
    QString problem;

    void run()
    {
        try {
            result = std::make_unique<Result>((*work)());
        } catch (const std::exception& thrown) {
            problem = sentenceOf(&thrown);
        } catch (...) {
            problem = sentenceOf(nullptr);
        }
        work.reset(); // what it held goes here, not on the interface thread
    }
    void hand()
    {
        if (result)
            done(std::move(*result));
        else if (failed)
            failed(problem);
        else
            AsyncProblems::instance().tell(problem);
    }
};

} // namespace detail

/// Lets the allocator give large pieces of memory back as soon as they are freed: by default it learns to keep them, and
/// after some rescans of a million entries holds as much again (mallopt(3), M_MMAP_THRESHOLD). Once, at the start.
void giveMemoryBack();

/// Runs `work` on a pool thread and then `done(result)` on the interface thread, never before this returns, unless
/// `context` is gone by then. Where the work throws, `failed(sentence)` is called instead; without it the window says
/// the sentence. Interface thread only.
template <typename Work, typename Done>
void runAsync(QThreadPool& pool, QObject* context, Work work, Done done,
              std::function<void(const QString&)> failed = nullptr)
{
    auto job = std::make_shared<detail::Job<Work, Done>>(std::move(work), std::move(done), std::move(failed));
    detail::post(pool, context, [job = std::move(job)] {
        job->run();
        return [job] { job->hand(); };
    });
}

template <typename Work, typename Done>
void runAsync(QObject* context, Work work, Done done, std::function<void(const QString&)> failed = nullptr)
{
    runAsync(*QThreadPool::globalInstance(), context, std::move(work), std::move(done), std::move(failed));
}

/// Lets go of something large (a tree) on a pool thread, and soon afterwards gives memory that is not used any more
/// back to the system. Interface thread only.
template <typename T>
void discard(std::shared_ptr<T> large)
{
    detail::post(*QThreadPool::globalInstance(), nullptr, [large = std::move(large)]() mutable {
        large.reset();
        return [] { detail::trimSoon(); };
    });
}

} // namespace kurvo::app
