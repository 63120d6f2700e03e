// SPDX-License-Identifier: GPL-3.0-or-later
// What the window says in its notice bar. Interface thread only.
#pragma once

#include <QObject>
#include <QString>

namespace kurvo::app {

enum class Severity { Info, Warning, Problem };

class Notices : public QObject {
    Q_OBJECT
public:
    using QObject::QObject;
    void say(const QString& sentence, Severity severity = Severity::Info) { emit message(sentence, severity); }

signals:
    void message(const QString& sentence, Severity severity);
};

} // namespace kurvo::app
