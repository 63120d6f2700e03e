// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/explore_stage.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>
#include <numeric>

#include "app/async.h"
#include "app/theme.h"
#include "app/words.h"

namespace kurvo::app {

Legend::Legend(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    for (const auto signal : {&Session::placeChanged, &Session::treeChanged, &Session::focusChanged})
        connect(&session_, signal, this, &Legend::refresh);
}

void Legend::refresh()
{
    const auto* place = session_.place();
    // While a scan runs the mix, which visits everything below, follows about once a second.
    if (place && place->isGrowing() && age_.isValid() && age_.elapsed() < 900 && shown_ == place->focus)
        return;
    const auto request = ++request_;
    if (!place) {
        mix_ = {};
        return update();
    }
    age_.start();
    shown_ = place->focus;
    runAsync(
        this, [tree = place->tree, focus = place->focus] { return familyMix(*tree, focus); },
        [this, request](const FamilyMix& mix) {
            if (request != request_)
                return;
            mix_ = mix;
            QStringList words;
            for (std::size_t f = 0; f < familyCount; ++f)
                if (mix.disk[f] > 0)
                    words << QStringLiteral("%1 %2").arg(QString::fromLatin1(familyName(static_cast<Family>(f))),
                                                         sizeText(mix.disk[f]));
            setToolTip(words.join(QLatin1Char('\n')));
            setAccessibleName(tr("Families: %1").arg(words.join(", ")));
            update();
        });
}

void Legend::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setFont(fontOf(11));
    const QFontMetrics metrics(painter.font());
    std::vector<std::size_t> order;
    for (std::size_t f = 0; f < familyCount; ++f)
        if (mix_.disk[f] > 0)
            order.push_back(f);
    std::sort(order.begin(), order.end(), [this](auto a, auto b) { return mix_.disk[a] > mix_.disk[b]; });
    int at = 0;
    for (std::size_t i = 0; i < order.size(); ++i) {
        const auto name = QString::fromLatin1(familyName(static_cast<Family>(order[i])));
        const auto size = sizeText(mix_.disk[order[i]]);
        const int wide = 15 + metrics.horizontalAdvance(name) + 5 + metrics.horizontalAdvance(size);
        const auto more = tr("and %1 more").arg(order.size() - i);
        const bool last = i + 1 == order.size();
        if (at + wide + (last ? 0 : metrics.horizontalAdvance(more) + 16) > width()) {
            painter.setPen(theme().textSecond);
            painter.drawText(QRect(at, 0, width() - at, height()), Qt::AlignVCenter, more);
            break;
        }
        painter.fillRect(QRect(at, height() / 2 - 5, 10, 10), familyColour(static_cast<Family>(order[i])));
        painter.setPen(theme().text);
        painter.drawText(QPoint(at + 15, height() / 2 + 4), name);
        painter.setPen(theme().textSecond);
        painter.drawText(QPoint(at + 20 + metrics.horizontalAdvance(name), height() / 2 + 4), size);
        at += wide + 16;
    }
}

ExploreStage::ExploreStage(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), state_(new QLabel), notRead_(new QPushButton), changed_(new QPushButton),
      stack_(new QStackedWidget), descent_(new DescentView(session)), treemap_(new TreemapView(session)),
      dossier_(new Dossier(session)), trail_(new CutLabel(13))
{
    // Before anything is open
    auto* empty = new QWidget;
    auto* emptyLayout = new QVBoxLayout(empty);
    auto* title = new QLabel(tr("Nothing is open yet"));
    title->setProperty("role", "title");
    auto* text = new QLabel(tr("Scan a drive or a folder, or open a snapshot: what fills it will be drawn here."));
    text->setProperty("role", "second");
    auto* button = new QPushButton(tr("Choose what to scan"));
    button->setProperty("role", "primary");
    connect(button, &QPushButton::clicked, this, &ExploreStage::scanRequested);
    emptyLayout->addStretch(2);
    emptyLayout->addWidget(title, 0, Qt::AlignCenter);
    emptyLayout->addWidget(text, 0, Qt::AlignCenter);
    emptyLayout->addSpacing(10);
    emptyLayout->addWidget(button, 0, Qt::AlignCenter);
    emptyLayout->addStretch(3);

    auto* main = new QWidget;
    auto* layout = new QHBoxLayout(main);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    descent_->setFixedWidth(262);
    layout->addWidget(descent_);
    auto* middle = new QVBoxLayout;
    middle->setContentsMargins(12, 8, 12, 4);
    middle->setSpacing(6);
    auto* bar = new QHBoxLayout;
    bar->setSpacing(6);
    trail_->setObjectName("trail");
    bar->addWidget(trail_, 1);
    state_->setProperty("role", "warning");
    state_->setObjectName("scanState");
    for (auto* link : {notRead_, changed_})
        link->setProperty("role", "link");
    notRead_->setObjectName("notRead");
    changed_->setObjectName("readChanged");
    changed_->setToolTip(tr("Something happened in these folders since they were read. Ctrl+F5 reads them again."));
    connect(notRead_, &QPushButton::clicked, this, &ExploreStage::notReadRequested);
    connect(changed_, &QPushButton::clicked, this, &ExploreStage::rescanRequested);
    bar->addWidget(state_);
    bar->addWidget(notRead_);
    bar->addWidget(changed_);
    auto* measures = new QButtonGroup(this);
    const std::pair<Measure, QString> choices[] = {
        {Measure::Disk, tr("On disk")}, {Measure::Apparent, tr("Apparent")}, {Measure::Files, tr("Files")}};
    auto* measureLabel = new QLabel(tr("measure"));
    measureLabel->setProperty("role", "small");
    measureLabel_ = measureLabel;
    bar->addWidget(measureLabel);
    for (const auto& [measure, name] : choices) {
        auto* choice = new QPushButton(name);
        choice->setCheckable(true);
        choice->setChecked(measure == session.measure());
        choice->setProperty("role", "choice");
        choice->setStyleSheet("QPushButton { padding: 3px 9px; } QPushButton:focus { padding: 2px 8px; } "
                              "QPushButton:checked { font-weight: 600; }");
        measures->addButton(choice, static_cast<int>(measure));
        bar->addWidget(choice);
    }
    connect(measures, &QButtonGroup::idClicked, this,
            [this](int id) { session_.setMeasure(static_cast<Measure>(id)); });
    connect(&session_, &Session::measureChanged, this,
            [this, measures] { measures->button(static_cast<int>(session_.measure()))->setChecked(true); });
    middle->addLayout(bar);
    middle->addWidget(treemap_, 1);
    middle->addWidget(new Legend(session));
    layout->addLayout(middle, 1);
    layout->addWidget(dossier_);

    stack_->addWidget(empty);
    stack_->addWidget(main);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->addWidget(stack_);
    connect(descent_, &DescentView::contextRequested, this, &ExploreStage::contextRequested);
    connect(treemap_, &TreemapView::contextRequested, this, &ExploreStage::contextRequested);
    for (const auto signal : {&Session::placeChanged, &Session::focusChanged, &Session::treeChanged})
        connect(&session_, signal, this, &ExploreStage::refresh);
    connect(&session_, &Session::scansChanged, this, &ExploreStage::refreshState);
    refresh();
}

void ExploreStage::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    measureLabel_->setVisible(width() >= 1050); // the choices speak for themselves
}

void ExploreStage::refreshState()
{
    const auto* place = session_.place();
    if (!place)
        return;
    const auto* job = session_.scanOf(*place);
    state_->setVisible(place->isGrowing() || place->info.partial || job);
    state_->setText(job && job->pausedSinceMs != 0 ? tr("scan paused")
                    : place->isGrowing()           ? tr("still growing")
                    : job                          ? tr("reading again…")
                                                   : tr("partial"));
    const auto count = place->info.unreadable;
    notRead_->setVisible(!place->isGrowing() && count > 0);
    notRead_->setText(tr("%1 not read…").arg(countText(count)));
    changed_->setVisible(!place->changed.empty() && !job);
    changed_->setText(tr("%1 changed: read again").arg(itemsText(place->changed.size(), "folder")));
}

void ExploreStage::refresh()
{
    const auto* place = session_.place();
    stack_->setCurrentIndex(place ? 1 : 0);
    if (!place)
        return;
    trail_->setText(toText(place->tree->path(place->focus)));
    refreshState();
}

} // namespace kurvo::app
