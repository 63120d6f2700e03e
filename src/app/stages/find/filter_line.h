// SPDX-License-Identifier: GPL-3.0-or-later
// The line a filter is typed into: completion, history with Up and Down, and what is wrong underlined where it is.
#pragma once

#include <QLineEdit>
#include <QStringListModel>

#include <optional>

#include "app/model/place_store.h"
#include "core/find/filter.h"

namespace kurvo::app {

class FilterLine : public QLineEdit {
    Q_OBJECT
public:
    explicit FilterLine(PlaceStore& places, QWidget* parent = nullptr);
    /// Underlines what is wrong; nothing for none.
    void showError(const std::optional<FilterError>& error);
    /// Kept for Up, newest first.
    QStringList history() const { return history_; }
    void setHistory(const QStringList& history) { history_ = history; }
    void remember();

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    void complete();

    PlaceStore& places_;
    QStringListModel* offers_;
    QStringList history_;
    bool wrong_ = false; ///< something is underlined
    qsizetype recalled_ = -1;
    QString typed_; ///< before history was walked
};

} // namespace kurvo::app
