// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/explore/picture_bar.h"

#include <QActionGroup>
#include <QHBoxLayout>
#include <QMenu>

#include "app/pictures/class_colours.h"
#include "app/services/listen.h"

namespace kurvo::app {
namespace {

QPushButton* choiceButton(const QString& text)
{
    auto* button = new QPushButton(text);
    button->setCheckable(true);
    button->setProperty("role", "choice");
    button->setStyleSheet("QPushButton { padding: 3px 10px; } QPushButton:focus { padding: 2px 9px; } "
                          "QPushButton:checked { font-weight: 600; }");
    return button;
}

QPushButton* menuButton(const char* name)
{
    auto* button = new QPushButton;
    button->setObjectName(name);
    button->setMenu(new QMenu(button));
    button->setStyleSheet("QPushButton { padding: 3px 10px; } QPushButton:focus { padding: 2px 9px; } "
                          "QPushButton::menu-indicator { image: none; width: 0; }");
    return button;
}

QString measureName(Measure measure)
{
    return measure == Measure::Disk       ? QObject::tr("on disk")
           : measure == Measure::Apparent ? QObject::tr("apparent")
                                          : QObject::tr("file count");
}

} // namespace

PictureBar::PictureBar(PlaceStore& places, Cursor& cursor, PlaceView& placeView, QWidget* where, QWidget* state,
                       QWidget* parent)
    : QWidget(parent), places_(places), cursor_(cursor), placeView_(placeView), where_(where), state_(state),
      pictures_(new QButtonGroup(this)), choices_(new QWidget), options_(new QWidget), measure_(menuButton("measure")),
      colour_(menuButton("colour")), depth_(new QSlider(Qt::Horizontal)), depthText_(new QLabel),
      areas_(choiceButton(tr("free"))), take_(new QPushButton(tr("Export"))), grid_(new QGridLayout(this))
{
    auto* choices = new QHBoxLayout(choices_);
    choices->setContentsMargins(0, 0, 0, 0);
    choices->setSpacing(0);
    const std::pair<PictureKind, QString> kinds[] = {{PictureKind::Treemap, tr("Treemap")},
                                                     {PictureKind::Sunburst, tr("Sunburst")},
                                                     {PictureKind::Types, tr("File types")},
                                                     {PictureKind::Roles, tr("Roles")}};
    static constexpr const char* names[] = {"showTreemap", "showSunburst", "showTypes", "showRoles"};
    for (const auto& [kind, text] : kinds) {
        auto* button = choiceButton(text);
        button->setObjectName(names[static_cast<std::size_t>(kind)]);
        pictures_->addButton(button, static_cast<int>(kind));
        choices->addWidget(button);
    }
    connect(pictures_, &QButtonGroup::idClicked, this,
            [this](int id) { placeView_.setPicture(static_cast<PictureKind>(id)); });

    auto* options = new QHBoxLayout(options_);
    options->setContentsMargins(0, 0, 0, 0);
    options->setSpacing(6);
    for (const auto measure : {Measure::Disk, Measure::Apparent, Measure::Files}) {
        auto* action = measure_->menu()->addAction(measureName(measure));
        action->setCheckable(true);
        connect(action, &QAction::triggered, this, [this, measure] {
            placeView_.setMeasure(measure);
            refresh();
        });
    }
    for (std::size_t by = 0; by < colourSchemes; ++by) {
        auto* action = colour_->menu()->addAction(schemeName(static_cast<ColourBy>(by)));
        action->setCheckable(true);
        connect(action, &QAction::triggered, this, [this, by] {
            placeView_.setColour(static_cast<ColourBy>(by));
            refresh();
        });
    }
    depth_->setObjectName("depth");
    depth_->setAccessibleName(tr("Levels drawn"));
    depth_->setRange(1, ViewState::allLevels);
    depth_->setPageStep(1);
    depth_->setFixedWidth(84);
    depth_->setToolTip(tr("How many levels are drawn: + and -"));
    connect(depth_, &QSlider::valueChanged, this, [this](int value) { placeView_.setDepth(value); });
    depthText_->setProperty("role", "small");
    depthText_->setFixedWidth(46);
    areas_->setObjectName("areas");
    areas_->setToolTip(tr("Draw free space, space not seen and reserved space as tiles beside what was seen"));
    connect(areas_, &QPushButton::clicked, this, [this](bool on) { placeView_.setAreas(on); });
    take_->setObjectName("takeAlong");
    take_->setToolTip(tr("Save, print or copy the picture; save the list"));
    take_->setStyleSheet("QPushButton { padding: 3px 10px; } QPushButton:focus { padding: 2px 9px; }");
    connect(take_, &QPushButton::clicked, this,
            [this] { emit takeAlongRequested(take_->mapToGlobal(QPoint(0, take_->height()))); });
    options->addWidget(measure_);
    options->addWidget(colour_);
    options->addWidget(areas_);
    options->addStretch();
    options->addWidget(depthText_);
    options->addWidget(depth_);
    options->addWidget(take_);

    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setHorizontalSpacing(10);
    grid_->setVerticalSpacing(6);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    listen(this, &PictureBar::refresh, places_, &PlaceStore::placeChanged, placeView_, &PlaceView::measureChanged,
           placeView_, &PlaceView::viewChanged, cursor_, &Cursor::focusChanged);
    arrange(false);
    refresh();
}

void PictureBar::arrange(bool narrow)
{
    if (arranged_ == static_cast<int>(narrow))
        return;
    arranged_ = static_cast<int>(narrow);
    for (auto* widget : {where_, state_, choices_, options_})
        grid_->removeWidget(widget);
    if (narrow) {
        grid_->addWidget(where_, 0, 0, 1, 2);
        grid_->addWidget(choices_, 1, 0, Qt::AlignLeft);
        grid_->addWidget(state_, 1, 1, Qt::AlignRight);
        grid_->addWidget(options_, 2, 0, 1, 2);
    } else {
        grid_->addWidget(choices_, 0, 0, Qt::AlignLeft);
        grid_->addWidget(where_, 0, 1);
        grid_->addWidget(state_, 0, 2, Qt::AlignRight);
        grid_->addWidget(options_, 1, 0, 1, 3);
    }
    grid_->setColumnStretch(0, 0);
    grid_->setColumnStretch(1, 1);
    take_->setText(narrow ? QStringLiteral("…") : tr("Export"));
    take_->setAccessibleName(tr("Export"));
    refresh();
    updateGeometry();
}

void PictureBar::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    arrange(width() < 560);
}

void PictureBar::refresh()
{
    const auto& view = places_.view();
    pictures_->button(static_cast<int>(view.picture))->setChecked(true);
    const auto label = [this](const QString& what, const QString& value) {
        return arranged_ == 1 ? value + QStringLiteral("  ▾") : QStringLiteral("%1: %2  ▾").arg(what, value);
    };
    measure_->setText(label(tr("measure"), measureName(view.measure)));
    measure_->setAccessibleName(tr("Measure: %1").arg(measureName(view.measure)));
    colour_->setText(label(tr("colour"), schemeName(view.colour)));
    colour_->setAccessibleName(tr("Colour: %1").arg(schemeName(view.colour)));
    const auto mark = [](const QPushButton* button, int chosen) {
        const auto actions = button->menu()->actions();
        for (int i = 0; i < actions.size(); ++i)
            actions[i]->setChecked(i == chosen);
    };
    mark(measure_, static_cast<int>(view.measure));
    mark(colour_, static_cast<int>(view.colour));
    const bool drawn = !isTable(view.picture);
    depth_->setVisible(drawn);
    depthText_->setVisible(drawn && arranged_ != 1);
    colour_->setVisible(drawn);
    const QSignalBlocker quiet(depth_);
    depth_->setValue(view.depth());
    depthText_->setText(view.depth() >= ViewState::allLevels ? tr("all levels") : tr("%1 deep").arg(view.depth()));
    const auto* place = places_.place();
    areas_->setVisible(place && view.picture == PictureKind::Treemap && view.measure == Measure::Disk &&
                       (place->focus == rootNode || place->tree->isPlace(place->focus)) && !place->areas().empty());
    areas_->setChecked(view.areas);
}

} // namespace kurvo::app
