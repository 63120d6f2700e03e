// SPDX-License-Identifier: GPL-3.0-or-later
// The line along the bottom: what is under the pointer (or selected, when the pointer is elsewhere), in words.
#pragma once

#include <QWidget>

#include "app/session.h"

namespace kurvo::app {

class PointerLine : public QWidget {
    Q_OBJECT
public:
    explicit PointerLine(Session& session, QWidget* parent = nullptr);
    /// The whole line as text, for tests and accessibility.
    QString text() const;

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void update();

    Session& session_;
    QString path_;
    QStringList facts_;
    QString state_;
};

} // namespace kurvo::app
