// SPDX-License-Identifier: GPL-3.0-or-later
// What was not seen: reading with administrator rights, one place after the other, and the ledger.
//
// Interface thread only.
#pragma once

#include <QTimer>

#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "app/jobs/snapshot_keeper.h"
#include "app/model/tree_updater.h"
#include "core/ledger/ledger.h"
#include "core/rights/ask_helper.h"

namespace kurvo::app {

/// Reading with administrator rights.
struct RightsJob {
    std::uint64_t placeId = 0;
    HelperRequest request;
    HelperProgress progress; ///< as last reported
    std::stop_source stop;
};

class RightsReader : public QObject {
    Q_OBJECT
public:
    RightsReader(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, SnapshotKeeper& snapshots,
                 Notices& notices, QObject* parent = nullptr);
    /// Asks all to end, and says nothing of it: nobody listens any more.
    void stop();

    /// Reads what could not be read in the current place with administrator rights.
    void readWithRights();
    /// The same of a place once its turn comes: nobody can answer two questions for a password at once.
    void startReading(std::uint64_t id);
    const RightsJob* rightsJob() const { return job_.get(); }
    void stopReadingWithRights();
    /// Program and arguments that give a helper its rights; which helper at the end.
    void setHelperCommand(std::vector<std::string> command) { command_ = std::move(command); }
    const std::vector<std::string>& helperCommand() const { return command_; }
    /// Writes the ledger of the current place off the interface thread.
    void writeLedger(const std::function<void(const Result<Ledger>&)>& answer);

signals:
    void rightsChanged(); ///< started, progress, ended
    void readingEnded();  ///< and what it found is put in
    /// Rights cannot be asked for here: this command in a terminal does it, and its file is waited for.
    void terminalNeeded(const QString& command);

private:
    void readNext();
    void takeAnswer(const std::shared_ptr<RightsJob>& job, Result<std::vector<ReadFolder>> answer);
    void putIn(std::uint64_t placeId, const std::vector<ReadFolder>& answer);
    void offerTerminal(const std::shared_ptr<RightsJob>& job);
    void lookForAnswer();
    void fail(const std::shared_ptr<RightsJob>& job, const QString& sentence);

    const AppFolders& folders_;
    PlaceStore& places_;
    TreeUpdater& trees_;
    SnapshotKeeper& snapshots_;
    Notices& notices_;
    std::shared_ptr<RightsJob> job_;
    std::vector<std::uint64_t> queue_; ///< places whose turn comes after it
    std::vector<std::string> command_;
    QTimer answerWatch_; ///< while a file from a terminal is waited for
};

} // namespace kurvo::app
