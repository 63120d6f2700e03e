// SPDX-License-Identifier: GPL-3.0-or-later
// The path of the focus folder, which can be typed over: names are completed from what was scanned.
#pragma once

#include <QCompleter>
#include <QLineEdit>
#include <QStringListModel>

#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/model/tree_updater.h"
#include "app/services/app_folders.h"
#include "app/services/notices.h"

namespace kurvo::app {

class Trail : public QLineEdit {
    Q_OBJECT
public:
    explicit Trail(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, Notices& notices, const AppFolders& folders,
                   QWidget* parent = nullptr);
    /// Selects the path for typing.
    void startTyping();

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    void refresh();
    void complete(const QString& typed);
    void go();

    PlaceStore& places_;
    TreeUpdater& trees_;
    Cursor& cursor_;
    Notices& notices_;
    const AppFolders& folders_;
    QStringListModel* names_;
    bool wrong_ = false;
};

} // namespace kurvo::app
