// SPDX-License-Identifier: GPL-3.0-or-later
// The newest snapshots, to be opened by a click.
#pragma once

#include <QLabel>
#include <QVBoxLayout>
#include <QWidget>

#include "core/snapshot/catalogue.h"

namespace kurvo::app {

class EarlierList : public QWidget {
    Q_OBJECT
public:
    explicit EarlierList(QWidget* parent = nullptr);
    void show(const Catalogue& catalogue);

signals:
    void openWanted(const std::string& snapshot);

private:
    QVBoxLayout* links_;
    QLabel* note_;
};

} // namespace kurvo::app
