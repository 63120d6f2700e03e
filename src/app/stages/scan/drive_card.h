// SPDX-License-Identifier: GPL-3.0-or-later
// One drive (or the practice folder, a sample drive of the demo, or a set of places) to choose from.
#pragma once

#include <QAbstractButton>

#include <optional>
#include <string>

#include "app/jobs/card_words.h"
#include "core/platform/drives.h"
#include "core/snapshot/place_sets.h"

namespace kurvo::app {

struct CardFacts {
    QString name;
    QString about;               ///< "/ · ext4 · internal"
    QString lastScan;            ///< "last scan 31 May", "never scanned"
    Capacity capacity;           ///< total 0: no bar
    std::string path;            ///< to scan; or
    std::string snapshot;        ///< to open; or
    std::optional<PlaceSet> set; ///< to look at
    SnapshotPair grown;          ///< the last whole snapshot and the one before, where there is one
};

/// Click or Space ticks; double-click or Enter starts.
class DriveCard : public QAbstractButton {
    Q_OBJECT
public:
    explicit DriveCard(CardFacts facts, QWidget* parent = nullptr);
    const CardFacts& facts() const { return facts_; }
    /// "most of it: …/tide-maps +18 GiB"; empty: nothing is said.
    void setGrewMost(const QString& words);
    /// "stands out: ..."; empty: nothing is said.
    void setStandsOut(const QString& words);
    QSize sizeHint() const override { return {380, 152}; }
    QSize minimumSizeHint() const override { return {250, 152}; }

signals:
    void startRequested();

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    CardFacts facts_;
    void describe();

    QString grewMost_, standsOut_;
};

} // namespace kurvo::app
