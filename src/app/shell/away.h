// SPDX-License-Identifier: GPL-3.0-or-later
// What is told to somebody who is not looking at the window: the end of long work, its progress on the launcher; and
// the machine does not sleep while a plan is carried out.
#pragma once

#include <QElapsedTimer>
#include <QTimer>

#include "app/jobs/models.h"
#include "app/services/desktop.h"

namespace kurvo::app {

class Away : public QObject {
    Q_OBJECT
public:
    /// `desktop` becomes this one's; work shorter than `longWorkMs` ends without a word.
    Away(QWidget& window, Models& models, Desktop* desktop, qint64 longWorkMs = 10000);

signals:
    void called(); ///< a notification was clicked: the window is wanted

private:
    void look();
    void told(const QString& title, const QString& text);

    QWidget& window_;
    Models& models_;
    Desktop* desktop_;
    qint64 longWorkMs_;
    QTimer beat_; ///< runs only while there is something to show
    QElapsedTimer scanning_, running_;
    bool scans_ = false, runs_ = false, shows_ = false;
};

} // namespace kurvo::app
