// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/acting.h"

#include "app/style/words.h"
#include "core/base/text.h"
#include "core/platform/atomic_file.h"

namespace kurvo::app {

Error terminalCommand(const ActRequest& request, const std::vector<std::string>& command, const std::string& data)
{
    const auto path = joinPath(data, "act-request");
    if (auto made = makeFolders(data); !made)
        return made.error();
    auto file = AtomicFile::create(path);
    if (!file)
        return file.error();
    const auto bytes = encodeActRequest(request);
    file->write(bytes.data(), bytes.size());
    if (auto written = file->commit(); !written)
        return written.error();
    const auto program = command.size() >= 2 ? command[command.size() - 2] : std::string("kurvoctl");
    return {ErrorKind::Unsupported, path, 0,
            "Administrator rights cannot be asked for in this session. In a terminal: sudo " + shellQuoted(program) +
                " act-helper --digest " + requestDigest(bytes) + " < " + shellQuoted(path) + " – then come back here."};
}

Result<Done> actWithRights(Logbook& logbook, const std::vector<std::string>& command, const ActRequest& request,
                           std::stop_token stop, const PauseGate* pause,
                           const std::function<void(const RunProgress&)>& onProgress)
{
    // Should this process not live to hear what was done, the next start knows that there is something to ask for.
    LoggedRun awaited;
    awaited.rightsRun = LoggedRun::awaited;
    awaited.began = currentTime();
    awaited.place = request.plan.place;
    awaited.host = hostName();
    if (auto noted = logbook.take(awaited, {}); !noted)
        return noted;
    auto answer = runActHelper(command, request, std::move(stop), pause, onProgress);
    for (const auto& record : answer.records)
        if (auto taken = logbook.take(record.run, record.steps); !taken)
            return taken;
    if (!answer.begun || !answer.records.empty())
        if (auto over = logbook.forget(LoggedRun::awaited); !over)
            return over;
    return answer.acted;
}

QString doneSentence(const RunRecord& record, std::size_t held)
{
    std::uint64_t gone = 0, moved = 0;
    std::size_t goneCount = 0, movedCount = 0, trashCount = 0;
    for (const auto& step : record.steps) {
        if (step.state != StepState::Done)
            continue;
        if (step.action == Action::Trash) {
            ++trashCount;
        } else {
            auto& bytes = step.action == Action::Move ? moved : gone;
            ++(step.action == Action::Move ? movedCount : goneCount);
            bytes += step.disk;
        }
    }
    const auto counted = [](std::size_t count) { return static_cast<int>(count); };
    QStringList sentences;
    if (goneCount > 0)
        sentences << QObject::tr("%n item(s), %1, deleted for good.", nullptr, counted(goneCount)).arg(sizeText(gone));
    if (movedCount > 0)
        sentences
            << QObject::tr("%n item(s), %1, moved and verified.", nullptr, counted(movedCount)).arg(sizeText(moved));
    if (trashCount > 0)
        sentences << QObject::tr("%n item(s), %1, in the trash. The space is free once the trash is emptied.", nullptr,
                                 counted(trashCount))
                         .arg(sizeText(record.bytesInTrash()));
    if (held > 0)
        sentences << QObject::tr("%n item(s) held back.", nullptr, counted(held));
    return sentences.join(QLatin1Char(' '));
}

std::vector<RecoveredStep> leftWithRights(Logbook& logbook, bool asked)
{
    std::vector<RecoveredStep> left;
    const auto runs = logbook.runs();
    for (std::size_t i = 0; runs && i < runs->size(); ++i) {
        const auto& run = (*runs)[i];
        if (run.rightsRun == LoggedRun::awaited && run.host == hostName())
            left.push_back({{},
                            Error{ErrorKind::NoPermission, run.place, 0,
                                  "A run with administrator rights in " + displayText(run.place) +
                                      " was not heard to its end. What it did is told with administrator rights."}});
        const auto steps = run.rightsRun > 0 && run.host == hostName()
                               ? logbook.steps(run.id)
                               : Result<std::vector<LoggedStep>>(std::vector<LoggedStep>());
        for (std::size_t s = 0; steps && s < steps->size(); ++s)
            if (const auto& step = (*steps)[s]; step.isUnderWay())
                left.push_back({step, Error{ErrorKind::NoPermission, step.path, 0,
                                            displayText(step.path) +
                                                (asked ? " still waits." : " waits, for administrator rights.")}});
    }
    return left;
}

const RunRecord* lastRun(const std::vector<RunRecord>& history)
{
    return history.empty() || history.front().run.ended == 0 ? nullptr : &history.front();
}

} // namespace kurvo::app
