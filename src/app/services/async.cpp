// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/async.h"
#include <QCoreApplication>
#include <QEvent>
#include <QPointer>
#include <QRunnable>
#include <QTimer>

#include <malloc.h>
#include <sys/resource.h>
#include <unistd.h>

#include <atomic>

#include "app/services/tell.h"

namespace kurvo::app {

AsyncProblems& AsyncProblems::instance()
{
    static AsyncProblems problems;
    return problems;
}

namespace {

/// What is to be done, on its way to a worker and back. Both hand-overs are atomic in themselves: a checker of threads
/// cannot see into Qt's queues.
struct Errand : QRunnable {
    Errand(QObject* context, std::function<std::function<void()>()> task)
        : guard(context), forNobody(!context), work(std::move(task))
    {
        setAutoDelete(false);
        ready.store(true, std::memory_order_release);
    }
    void run() override;

    std::atomic<bool> ready{false};
    QPointer<QObject> guard; ///< interface thread
    bool forNobody;          ///< nobody can be gone
    std::function<std::function<void()>()> work;
    std::function<void()> then;
};

struct Back : QEvent {
    explicit Back(Errand* done) : QEvent(User) { errand.store(done, std::memory_order_release); }
    ~Back() override { delete errand.load(std::memory_order_acquire); }
    std::atomic<Errand*> errand{nullptr};
};

/// Lives on the interface thread as long as the program, so that a worker never touches the context.
struct Relay : QObject {
    bool event(QEvent* event) override
    {
        if (event->type() != QEvent::User)
            return QObject::event(event);
        const Errand* errand = static_cast<Back*>(event)->errand.load(std::memory_order_acquire);
        if (errand->guard || errand->forNobody)
            errand->then();
        return true;
    }
};

Relay& relay()
{
    static Relay relay;
    return relay;
}

/// The thread that this runs on, and those it starts, leave the interface thread the processor: with few of them what
/// begins when a scan ends would keep a first picture waiting.
void giveWay()
{
    constexpr int nice = 10; // as that of scans
    thread_local const int given = ::setpriority(PRIO_PROCESS, static_cast<id_t>(::gettid()), nice);
    (void)given;
}

void Errand::run()
{
    if (!ready.load(std::memory_order_acquire))
        return;
    giveWay();
    then = work();
    work = nullptr;
    QCoreApplication::postEvent(&relay(), new Back(this));
}

} // namespace

void detail::post(QThreadPool& pool, QObject* context, std::function<std::function<void()>()> work)
{
    relay();
    pool.start(new Errand(context, std::move(work)));
}

std::function<void(std::function<void()>)> teller(QObject* context)
{
    relay();
    return [guard = std::make_shared<const QPointer<QObject>>(context)](std::function<void()> then) {
        auto* errand = new Errand(nullptr, nullptr);
        errand->then = [guard, then = std::move(then)] {
            if (*guard)
                then();
        };
        QCoreApplication::postEvent(&relay(), new Back(errand));
    };
}

void giveMemoryBack()
{
    constexpr int large = 128 * 1024; // bytes; glibc's own first value, which then stays
    ::mallopt(M_MMAP_THRESHOLD, large);
}

/// The allocator keeps what was freed; after trees of a million entries that is hundreds of megabytes (malloc_trim(3)).
void detail::trimSoon()
{
    static auto* timer = [] {
        auto* made = new QTimer(&relay());
        made->setSingleShot(true);
        constexpr int quiet = 1500; // ms
        made->setInterval(quiet);
        QObject::connect(made, &QTimer::timeout, [] {
            detail::post(*QThreadPool::globalInstance(), nullptr, [] {
                ::malloc_trim(0);
                return [] {};
            });
        });
        return made;
    }();
    timer->start();
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
