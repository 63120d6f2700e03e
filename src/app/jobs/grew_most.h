// SPDX-License-Identifier: GPL-3.0-or-later
// What grew most between two snapshots, for the cards of the Scan stage. A snapshot never changes (one that is
// written again gets another id): it is worked out once, on a thread of its own, and remembered.
#pragma once

#include <QObject>
#include <QThreadPool>

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "app/services/settings.h"
#include "core/compare/explain.h"

namespace kurvo::app {

/// Two snapshots of a place, by file and by id.
struct SnapshotPair {
    std::string newest, before, newestId, beforeId;
    auto operator<=>(const SnapshotPair&) const = default;
};

class GrewMost : public QObject {
    Q_OBJECT
public:
    explicit GrewMost(Settings& settings, QObject* parent = nullptr);
    ~GrewMost() override;

    /// "most: +18.0 GiB in /home/warden/.cache"; empty when nothing grew, or it is not known yet.
    QString words(const SnapshotPair& pair) const;
    /// Works out what is not known of these, one after the other, and forgets all others.
    void lookInto(const std::vector<SnapshotPair>& pairs);

signals:
    void known();

private:
    void recall();
    void keep();

    Settings& settings_;
    std::map<SnapshotPair, std::optional<Growth>> found_;
    std::set<SnapshotPair> asked_;
    std::stop_source stop_;
    QThreadPool pool_; ///< last, so that it is waited for first
};

} // namespace kurvo::app
