// SPDX-License-Identifier: GPL-3.0-or-later
// The bar over the picture: where one is, which picture, by what measure and colour, how deep. In two rows, or in three
// where it is narrow.
#pragma once

#include <QButtonGroup>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSlider>
#include <QWidget>

#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/model/place_view.h"

namespace kurvo::app {

class PictureBar : public QWidget {
    Q_OBJECT
public:
    /// `where`: the trail; `state`: what is to be said of the place, beside it.
    PictureBar(PlaceStore& places, Cursor& cursor, PlaceView& placeView, QWidget* where, QWidget* state,
               QWidget* parent = nullptr);

signals:
    void takeAlongRequested(const QPoint& global);

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void refresh();
    void arrange(bool narrow);

    PlaceStore& places_;
    Cursor& cursor_;
    PlaceView& placeView_;
    QWidget* where_;
    QWidget* state_;
    QButtonGroup* pictures_;
    QWidget* choices_;
    QWidget* options_;
    QPushButton* measure_;
    QPushButton* colour_;
    QSlider* depth_;
    QLabel* depthText_;
    QPushButton* areas_;
    QPushButton* take_;
    QGridLayout* grid_;
    int arranged_ = -1;
};

} // namespace kurvo::app
