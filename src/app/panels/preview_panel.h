// SPDX-License-Identifier: GPL-3.0-or-later
// What an item is, over the stage: a picture, a text, facts. The file is opened by kurvo-preview, a process that is
// limited and may crash; here only its answer is shown.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPlainTextEdit>
#include <QProcess>
#include <QTimer>

#include "app/model/cursor.h"
#include "app/model/place_store.h"

namespace kurvo::app {

class PreviewPanel : public QFrame {
    Q_OBJECT
public:
    PreviewPanel(PlaceStore& places, Cursor& cursor, QWidget* over);
    ~PreviewPanel() override;

    /// Shows the selected item, or closes. While it is open it follows the selection.
    void toggle();
    /// Nothing is being worked out any more.
    bool isSettled() const { return settled_; }

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void follow();
    void place();
    void ask(const std::string& path);
    void take(const QByteArray& answer);
    void showFolder(NodeId folder);
    void showNote(const QString& note);
    void end();
    static QString workerProgram();

    PlaceStore& places_;
    Cursor& cursor_;
    QLabel* name_;
    QLabel* facts_;
    QLabel* picture_;
    QPlainTextEdit* text_;
    QLabel* note_;
    QProcess* worker_ = nullptr;
    QTimer patience_;
    NodeId node_ = noNode;
    std::shared_ptr<const NodeStore> store_;
    bool settled_ = true;
};

} // namespace kurvo::app
