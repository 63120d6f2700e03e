// SPDX-License-Identifier: GPL-3.0-or-later
// The path of the focus folder, which can be typed over: names are completed from what was scanned.
#pragma once

#include <QCompleter>
#include <QLineEdit>
#include <QStringListModel>

#include "app/session.h"

namespace kurvo::app {

class Trail : public QLineEdit {
    Q_OBJECT
public:
    explicit Trail(Session& session, QWidget* parent = nullptr);
    /// Selects the path for typing.
    void startTyping();

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    void refresh();
    void complete(const QString& typed);
    void go();

    Session& session_;
    QStringListModel* names_;
    bool wrong_ = false;
};

} // namespace kurvo::app
