// SPDX-License-Identifier: GPL-3.0-or-later
// The panel about the selected item, or about the focus folder when nothing is selected: facts and actions.
#pragma once

#include <QElapsedTimer>
#include <QFrame>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>

#include <optional>

#include "app/jobs/models.h"
#include "app/panels/advice_panel.h"
#include "app/panels/history_panel.h"
#include "app/panels/mark_panel.h"
#include "core/platform/file_facts.h"

namespace kurvo::app {

/// The families in a folder as one bar.
class FamilyBar : public QWidget {
    Q_OBJECT
public:
    explicit FamilyBar(QWidget* parent = nullptr);
    void setMix(const FamilyMix& mix);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    FamilyMix mix_;
};

class Dossier : public QFrame {
    Q_OBJECT
public:
    explicit Dossier(Models& models, QWidget* parent = nullptr);

    /// The buttons get their work from the window's actions.
    QPushButton* planButton() { return plan_; }
    QPushButton* openButton() { return open_; }
    QPushButton* showButton() { return show_; }
    QPushButton* copyButton() { return copy_; }
    QPushButton* moreButton() { return more_; }
    AdvicePanel* advice() { return advice_; }
    HistoryPanel* history() { return history_; }

signals:
    void noteRequested();

protected:
    void showEvent(QShowEvent* event) override;

private:
    void update();
    void showName(const Place& place, NodeId node, bool isAll);
    void showSeveral(const Place& place);
    void fillFacts(const Place& place, NodeId node);
    void fillLinks(const Place& place, NodeId node);
    void askDisk(const Place& place, NodeId node);
    void takeAnswer(const std::optional<Result<FileFacts>>& answer, NodeId node);
    void showFromDisk(const FileFacts& facts, NodeId node);
    void layOut();
    QLabel* addFact(const QString& name, const QString& value, const QString& tip = {});
    void startMix(NodeId node);

    Models& models_;
    QLabel* name_;
    QLabel* path_;
    QLabel* size_;
    QLabel* shares_;
    QLabel* mixTitle_;
    FamilyBar* mix_;
    QLabel* mixText_;
    QGridLayout* facts_;
    MarkPanel* mark_;
    AdvicePanel* advice_;
    HistoryPanel* history_;
    QLabel* note_;
    QPushButton* plan_;
    QPushButton* open_;
    QPushButton* show_;
    QPushButton* copy_;
    QPushButton* more_;
    QWidget* body_;
    QWidget* actions_; ///< in view however long the facts are
    QLabel* empty_;
    QLabel* apparent_ = nullptr; ///< of the facts: the reason is known only once the disk has answered
    bool stale_ = true;          ///< something changed while nobody saw it
    unsigned factsRequest_ = 0;
    unsigned mixRequest_ = 0;
    QElapsedTimer mixAge_; ///< since it was asked for
    NodeId mixNode_ = noNode;
    std::weak_ptr<const FileTree> mixTree_; ///< of which the mix is shown or being worked out
};

} // namespace kurvo::app
