// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/rights_reader.h"

#include <fcntl.h>
#include <sys/stat.h>

#include <algorithm>
#include <cerrno>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/platform/atomic_file.h"

namespace kurvo::app {
namespace {

/// The uppermost folders that could not be read, without those that did not answer.
std::vector<std::string> notReadFolders(const Place& place)
{
    std::vector<std::string> folders;
    const auto& tree = *place.tree;
    std::vector<NodeId> pending{rootNode};
    while (!pending.empty()) {
        const NodeId node = pending.back();
        pending.pop_back();
        if (tree.sums(node).unreadable == 0)
            continue;
        if (tree.store().has(node, FlagUnreadable)) {
            folders.push_back(tree.path(node));
            continue;
        }
        tree.forEachChild(node, [&](NodeId child) {
            if (tree.isFolder(child))
                pending.push_back(child);
        });
    }
    std::erase_if(folders, [&](const std::string& path) {
        return std::any_of(place.unreadable.begin(), place.unreadable.end(), [&](const Unreadable& u) {
            return u.path == path && u.sysError != EACCES && u.sysError != EPERM;
        });
    });
    std::sort(folders.begin(), folders.end());
    return folders;
}

} // namespace

RightsReader::RightsReader(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, SnapshotKeeper& snapshots,
                           Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), trees_(trees), snapshots_(snapshots), notices_(notices)
{
    answerWatch_.setInterval(1000);
    connect(&answerWatch_, &QTimer::timeout, this, &RightsReader::lookForAnswer);
    connect(&places_, &PlaceStore::aboutToClose, this, [this](std::uint64_t id) {
        std::erase(queue_, id);
        if (job_ && job_->placeId == id)
            stopReadingWithRights();
    });
}

void RightsReader::stop()
{
    if (job_)
        job_->stop.request_stop();
}

void RightsReader::readWithRights()
{
    const auto* p = places_.place();
    if (!p || p->fromSnapshot || p->isGrowing() || job_)
        return;
    if (notReadFolders(*p).empty())
        return notices_.say(tr("There is nothing here that administrator rights would help with."));
    startReading(p->id);
}

void RightsReader::startReading(std::uint64_t id)
{
    const auto* target = places_.placeOf(id);
    if (!target)
        return;
    if (job_) {
        queue_.push_back(id);
        return;
    }
    auto job = std::make_shared<RightsJob>();
    job->placeId = id;
    job->request.paths = notReadFolders(*target);
    job->request.exclude = target->options.exclude;
    if (job->request.paths.empty())
        return readNext();
    job_ = job;
    emit rightsChanged();
    runAsync(
        this,
        [this, job, command = command_] {
            Listening how;
            how.stop = job->stop.get_token();
            how.onProgress = [this, job](const HelperProgress& progress) {
                QMetaObject::invokeMethod(
                    this,
                    [this, job, progress] {
                        job->progress = progress;
                        emit rightsChanged();
                    },
                    Qt::QueuedConnection);
            };
            return runHelper(command, job->request, std::move(how));
        },
        [this, job](Result<std::vector<ReadFolder>> answer) {
            if (job_ == job)
                takeAnswer(job, std::move(answer));
        },
        [this, job](const QString& problem) { fail(job, problem); });
}

void RightsReader::readNext()
{
    while (!job_ && !queue_.empty()) {
        const auto id = queue_.front();
        queue_.erase(queue_.begin());
        startReading(id);
    }
}

void RightsReader::takeAnswer(const std::shared_ptr<RightsJob>& job, Result<std::vector<ReadFolder>> answer)
{
    if (!answer && answer.error().kind == ErrorKind::Unsupported)
        return offerTerminal(job);
    answerWatch_.stop();
    job_.reset();
    emit rightsChanged();
    if (!answer) {
        queue_.clear(); // who refused once is not asked again
        return notices_.say(QString::fromStdString(answer.error().sentence), Severity::Warning);
    }
    std::size_t failed = 0;
    std::string problem;
    for (const auto& scan : *answer)
        if (!scan.tree) {
            ++failed;
            problem = scan.problem;
        }
    std::erase_if(*answer, [](const ReadFolder& scan) { return !scan.tree; });
    if (failed > 0)
        notices_.say(QString::fromStdString(problem), Severity::Warning);
    const auto count = answer->size();
    readNext();
    if (count == 0)
        return;
    putIn(job->placeId, *answer);
}

void RightsReader::putIn(std::uint64_t placeId, const std::vector<ReadFolder>& answer)
{
    std::vector<FreshFolder> fresh;
    for (const auto& scan : answer)
        fresh.push_back({scan.path, scan.tree, scan.unreadableList});
    trees_.putIn(placeId, std::move(fresh), Plan::IfChanged::Drop, true,
                 [this, placeId, count = answer.size()](bool done) {
                     if (!done)
                         return;
                     notices_.say(tr("%n folder(s) read with administrator rights and added.", nullptr,
                                     static_cast<int>(count)));
                     snapshots_.save(placeId);
                     emit readingEnded();
                 });
}

/// Nothing is read, and nobody is asked again.
void RightsReader::fail(const std::shared_ptr<RightsJob>& job, const QString& sentence)
{
    if (job_ != job)
        return;
    stopReadingWithRights();
    notices_.say(sentence, Severity::Problem);
}

void RightsReader::stopReadingWithRights()
{
    if (!job_)
        return;
    job_->stop.request_stop();
    queue_.clear();
    answerWatch_.stop();
    job_.reset();
    emit rightsChanged();
}

void RightsReader::offerTerminal(const std::shared_ptr<RightsJob>& job)
{
    const auto request = joinPath(folders_.data, "helper-request");
    const auto answer = joinPath(folders_.data, "helper-answer");
    const auto quoted = [](const std::string& path) { return QString::fromLocal8Bit(shellQuoted(path).c_str()); };
    runAsync(
        this,
        [request, answer, folder = folders_.data, bytes = encodeRequest(job->request)]() -> Result<Done> {
            if (auto made = makeFolders(folder); !made)
                return made;
            ::unlink(answer.c_str());
            auto file = AtomicFile::create(request);
            if (!file)
                return file.error();
            file->write(bytes.data(), bytes.size());
            return file->commit();
        },
        [this, job, request, answer, quoted](const Result<Done>& written) {
            if (job_ != job)
                return;
            if (!written) {
                notices_.say(QString::fromStdString(written.error().sentence), Severity::Warning);
                return stopReadingWithRights();
            }
            // The program that the setting would start with rights is the last but one word of it.
            const auto program = command_.size() >= 2 ? command_[command_.size() - 2] : "kurvoctl";
            answerWatch_.start();
            emit terminalNeeded(
                QStringLiteral("sudo %1 helper < %2 > %3").arg(quoted(program), quoted(request), quoted(answer)));
        });
}

/// By timer: whether the file from the terminal is there, whole.
void RightsReader::lookForAnswer()
{
    const auto job = job_;
    answerWatch_.stop(); // until this look has ended
    if (!job)
        return;
    runAsync(
        this,
        [path = joinPath(folders_.data, "helper-answer"), request = job->request] {
            UniqueFd file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK));
            auto answer = std::make_shared<std::optional<Result<std::vector<ReadFolder>>>>();
            struct stat s { };
            if (file && ::fstat(file.get(), &s) == 0 && S_ISREG(s.st_mode) && s.st_size > 0) {
                answer->emplace(readAnswer(file.get(), request));
                if (!**answer && (*answer)->error().kind == ErrorKind::Damaged)
                    answer->reset(); // still being written
                else
                    ::unlink(path.c_str());
            }
            return answer;
        },
        [this, job](const std::shared_ptr<std::optional<Result<std::vector<ReadFolder>>>>& answer) {
            if (job_ != job)
                return;
            if (answer->has_value())
                takeAnswer(job, std::move(**answer));
            else
                answerWatch_.start();
        },
        [this, job](const QString& problem) { fail(job, problem); });
}

void RightsReader::writeLedger(const std::function<void(const Result<Ledger>&)>& answer)
{
    const auto* p = places_.place();
    if (!p)
        return;
    if (p->fromSnapshot)
        return answer(p->hasLedger() ? Result<Ledger>(ledgerFrom(p->info.ledger, p->info.mountPoint, p->info.capacity))
                                     : Error{ErrorKind::Unsupported, p->info.place, 0,
                                             "A ledger needs the drive itself, and with this snapshot none was kept."});
    const auto inTrash = p->bytesInTrash() - p->bytesInTrashSeen();
    runAsync(
        this,
        [tree = p->tree, info = p->info, unreadable = p->unreadable, whole = p->wholeDrive,
         excluded = p->options.exclude, inTrash, account = p->account] {
            const auto facts = readLedgerFacts(info.mountPoint);
            if (!facts)
                return std::make_shared<Result<Ledger>>(facts.error());
            LedgerScan scan;
            scan.tree = tree.get();
            scan.unreadable = unreadable;
            scan.unreadableCount = info.unreadable;
            scan.partial = info.partial;
            scan.wholeDrive = whole;
            scan.excluded = excluded;
            scan.inTrash = inTrash;
            scan.account = account;
            return std::make_shared<Result<Ledger>>(kurvo::writeLedger(scan, *facts));
        },
        [answer](const std::shared_ptr<Result<Ledger>>& ledger) { answer(*ledger); });
}

} // namespace kurvo::app
