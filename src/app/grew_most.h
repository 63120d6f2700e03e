// SPDX-License-Identifier: GPL-3.0-or-later
// What grew most between two snapshots, for the cards of the Scan stage. Snapshots never change: it is worked out once,
// on a thread of its own, and remembered.
#pragma once

#include <QObject>
#include <QSettings>
#include <QThreadPool>

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "core/compare/explain.h"

namespace kurvo::app {

class GrewMost : public QObject {
    Q_OBJECT
public:
    struct Pair {
        std::string newest, before; ///< snapshot files
        auto operator<=>(const Pair&) const = default;
    };
    explicit GrewMost(QSettings& settings, QObject* parent = nullptr);
    ~GrewMost() override;

    /// "most: +18.0 GiB in /home/warden/.cache"; empty when nothing grew, or it is not known yet.
    QString words(const Pair& pair) const;
    /// Works out what is not known of these, one after the other, and forgets all others.
    void lookInto(const std::vector<Pair>& pairs);

signals:
    void known();

private:
    void recall();
    void keep();

    QSettings& settings_;
    std::map<Pair, std::optional<Growth>> found_;
    std::set<Pair> asked_;
    std::stop_source stop_;
    QThreadPool pool_; ///< last, so that it is waited for first
};

} // namespace kurvo::app
