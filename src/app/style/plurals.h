// SPDX-License-Identifier: GPL-3.0-or-later
// English plurals for tr("%n item(s)"): the source text says both forms, "item(s)" or "entr(y|ies)". A translation that
// is installed goes before it.
#pragma once

#include <QTranslator>

namespace kurvo::app {

class EnglishPlurals : public QTranslator {
    Q_OBJECT
public:
    using QTranslator::QTranslator;
    bool isEmpty() const override { return false; }
    /// Any thread.
    QString translate(const char* context, const char* text, const char* disambiguation, int n) const override;
};

/// For the whole application, once; needs a QCoreApplication. Interface thread.
void installPlurals();

} // namespace kurvo::app
