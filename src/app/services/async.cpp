// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/async.h"

namespace kurvo::app {

AsyncProblems& AsyncProblems::instance()
{
    static AsyncProblems problems;
    return problems;
}

QString detail::sentenceOf(const std::exception* thrown)
{
    if (dynamic_cast<const std::bad_alloc*>(thrown))
        return QObject::tr("There is not enough memory for this. Close other programs or places and try again.");
    return thrown ? QObject::tr("This ended with a fault of Kurvo: %1. Nothing else is affected; try again.")
                        .arg(QString::fromLocal8Bit(thrown->what()))
                  : QObject::tr("This ended with a fault of Kurvo. Nothing else is affected; try again.");
}

} // namespace kurvo::app
