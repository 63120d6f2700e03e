// SPDX-License-Identifier: GPL-3.0-or-later
// What the cards of the Scan stage say of a place's last snapshots: what grew most between two of them, and what stands
// out in the newest. A snapshot never changes (one that is written again gets another id): it is worked out once, on a
// thread of its own, and remembered.
#pragma once

#include <QObject>
#include <QThreadPool>

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "app/services/app_folders.h"
#include "app/services/settings.h"
#include "core/compare/explain.h"

namespace kurvo::app {

/// Two snapshots of a place, by file and by id; `before` may be empty.
struct SnapshotPair {
    std::string newest, before, newestId, beforeId;
    auto operator<=>(const SnapshotPair&) const = default;
};

class CardWords : public QObject {
    Q_OBJECT
public:
    CardWords(const AppFolders& folders, Settings& settings, QObject* parent = nullptr);
    ~CardWords() override;

    /// "most: +18.0 GiB in /home/warden/.cache"; empty when nothing grew, or it is not known yet.
    QString grewMost(const SnapshotPair& pair) const;
    /// "stands out: A map viewer's cache, 89.5 GiB, and 11 more"; empty when nothing does, or it is not known yet.
    QString standsOut(const SnapshotPair& pair) const;
    /// Works out what is not known of these, one after the other, and forgets all others.
    void lookInto(const std::vector<SnapshotPair>& pairs);
    /// Leads were put aside or brought back: all is worked out anew when it is asked for.
    void forget();

signals:
    void known();

private:
    struct Known {
        std::optional<Growth> growth;
        std::string lead; ///< title of the first; empty where nothing stands out
        std::uint64_t bytes = 0;
        std::uint64_t more = 0; ///< leads beside it
    };
    /// Not done where one of them cannot be read now.
    struct Look {
        bool done = false;
        Known known;
    };
    static Look lookAt(const SnapshotPair& pair, const std::string& asideFile, const std::string& config,
                       const std::stop_token& stop);
    void recall();
    void keep();

    const AppFolders& folders_;
    Settings& settings_;
    std::map<SnapshotPair, Known> found_;
    std::set<SnapshotPair> asked_;
    std::stop_source stop_;
    QThreadPool pool_; ///< last, so that it is waited for first
};

} // namespace kurvo::app
