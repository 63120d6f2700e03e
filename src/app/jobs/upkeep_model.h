// SPDX-License-Identifier: GPL-3.0-or-later
// The rules of upkeep as the window shows them: what they are, what each would do now, carrying one out.
//
// Interface thread only.
#pragma once

#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "app/model/place_store.h"
#include "core/upkeep/run.h"

namespace kurvo::app {

class UpkeepModel : public QObject {
    Q_OBJECT
public:
    UpkeepModel(const AppFolders& folders, PlaceStore& places, Knowledge& knowledge, Notices& notices,
                QObject* parent = nullptr);
    void stop() { stop_.request_stop(); }

    struct Known {
        std::vector<UpkeepRule> rules; ///< the user's own, then those that are ready
        std::size_t own = 0;
        std::vector<std::string> problems; ///< of files that are no rules, and of rules that fight
        UpkeepBook book;
        std::vector<RunRecord> runs; ///< by rule; newest first
        bool timer = false;          ///< runs them once a day
    };
    /// Null until read() has ended once.
    const Known* known() const { return known_.get(); }
    void read();

    using Looked = std::function<void(const std::shared_ptr<const UpkeepOutcome>&, const QString& problem)>;
    /// What it would do now; of an open place what is shown there. Only the last that is asked for answers.
    void look(const UpkeepRule& rule, Looked then);
    using Done = std::function<void(const QString& problem)>;
    /// Writes it and, where it is on, sees to the timer. A sentence where something is amiss: it is written all the
    /// same where only the timer could not be switched.
    void save(UpkeepRule rule, Done then);
    void remove(const std::string& name, Done then);
    /// `evenSo`: also where it asks.
    void carryOut(const UpkeepRule& rule, bool evenSo);
    bool isWorking() const { return working_; }

    /// What rules did and found since somebody was told last; from now on it is told. Nothing where there is nothing.
    void takeNews();
    /// A rule for what was found in the current place; nothing of it is decided yet.
    UpkeepRule seed(const QString& title) const;

signals:
    void changed();
    /// Something was carried out.
    void ran(const kurvo::RunRecord& record);
    void newsCame(const QString& sentence);

private:
    UpkeepWish wishFor(const UpkeepRule& rule) const;

    const AppFolders& folders_;
    PlaceStore& places_;
    Knowledge& knowledge_;
    Notices& notices_;
    std::shared_ptr<const Known> known_;
    std::stop_source stop_;
    std::stop_source looking_;
    unsigned request_ = 0;
    bool working_ = false;
    std::int64_t ran_ = 0; ///< a run that is told of once it is read
};

} // namespace kurvo::app
