// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/gauge.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>

#include "app/theme.h"
#include "app/words.h"

namespace kurvo::app {
namespace {

QBrush brushOf(GaugeBar::Fill fill)
{
    const auto& t = theme();
    switch (fill) {
    case GaugeBar::Fill::Seen:
        return t.seen;
    case GaugeBar::Fill::Planned:
        return plannedHatch();
    case GaugeBar::Fill::Trash:
        return hatchOn(t.warning);
    case GaugeBar::Fill::Known:
        return t.accent;
    case GaugeBar::Fill::NotSeen:
        return notSeenDots();
    case GaugeBar::Fill::Reserved:
        return t.line;
    case GaugeBar::Fill::Free:
        break;
    }
    return t.emptyBar;
}

} // namespace

GaugeBar::GaugeBar(QWidget* parent) : QWidget(parent)
{
    setAccessibleName(tr("Capacity of the drive"));
}

void GaugeBar::setSegments(std::vector<Segment> segments)
{
    segments_ = std::move(segments);
    QStringList words;
    for (const auto& s : segments_)
        words << s.label;
    setAccessibleDescription(words.join(", "));
    setToolTip(words.join("\n"));
    update();
}

void GaugeBar::setExplains(bool explains)
{
    explains_ = explains;
    setMouseTracking(explains);
    setFocusPolicy(explains ? Qt::TabFocus : Qt::NoFocus);
}

std::vector<QRect> GaugeBar::rects() const
{
    std::uint64_t total = 0;
    for (const auto& s : segments_)
        total += s.bytes;
    const auto x = [&](std::uint64_t bytes) {
        return total == 0 ? 0 : static_cast<int>(static_cast<double>(bytes) / static_cast<double>(total) * width());
    };
    std::vector<QRect> rects;
    std::uint64_t before = 0;
    for (const auto& s : segments_) {
        const int left = x(before);
        before += s.bytes;
        // What is there at all keeps a pixel or two.
        const int right = std::max(x(before), left + (s.bytes > 0 && s.fill != Fill::Free ? 2 : 0));
        rects.emplace_back(left, 4, right - left, 20);
    }
    return rects;
}

QRect GaugeBar::rectOf(Fill fill) const
{
    const auto all = rects();
    for (std::size_t i = 0; i < segments_.size(); ++i)
        if (segments_[i].fill == fill && segments_[i].bytes > 0)
            return all[i];
    return {};
}

bool GaugeBar::isOnNotSeen(const QPoint& at) const
{
    return explains_ && rectOf(Fill::NotSeen).adjusted(-4, -4, 4, 4).contains(at);
}

void GaugeBar::mouseMoveEvent(QMouseEvent* event)
{
    setCursor(isOnNotSeen(event->pos()) ? Qt::PointingHandCursor : Qt::ArrowCursor);
}

void GaugeBar::mousePressEvent(QMouseEvent* event)
{
    // The legend's last word is as good a handle as a segment of few pixels.
    if (explains_ && event->button() == Qt::LeftButton && (isOnNotSeen(event->pos()) || event->pos().y() > 28))
        emit explainRequested();
}

void GaugeBar::keyPressEvent(QKeyEvent* event)
{
    if (explains_ && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Space))
        emit explainRequested();
    else
        QWidget::keyPressEvent(event);
}

void GaugeBar::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const auto& t = theme();
    const QRect bar(0, 4, width(), 20);
    painter.fillRect(bar, t.emptyBar);
    painter.setBrushOrigin(bar.topLeft());
    const auto all = rects();
    for (std::size_t i = 0; i < segments_.size(); ++i) {
        painter.fillRect(all[i], brushOf(segments_[i].fill));
        // Neighbours of one kind stay apart.
        if (i > 0 && segments_[i].fill == segments_[i - 1].fill && segments_[i].bytes > 0)
            painter.fillRect(QRect(all[i].x(), all[i].y(), 1, all[i].height()), t.panel);
    }
    painter.setPen(t.line);
    painter.drawRect(bar.adjusted(0, 0, -1, -1));
    if (hasFocus()) {
        painter.setPen(QPen(t.accent, 2));
        painter.drawRect(bar.adjusted(1, 1, -1, -1));
    }

    painter.setFont(fontOf(11));
    const QFontMetrics metrics(painter.font());
    int at = 0;
    for (const auto& s : segments_) {
        if (s.bytes == 0)
            continue;
        const int wide = 14 + metrics.horizontalAdvance(s.label) + 14;
        if (at + wide - 14 > width())
            break; // the tooltip has them all
        painter.fillRect(QRect(at, 33, 9, 9), brushOf(s.fill));
        painter.setPen(t.line);
        painter.drawRect(QRect(at, 33, 8, 8));
        painter.setPen(t.textSecond);
        painter.drawText(QPoint(at + 14, 42), s.label);
        at += wide;
    }
}

std::vector<GaugeBar::Segment> gaugeSegments(const Place& place)
{
    const auto& c = place.capacity;
    const auto seenAgain = place.bytesInTrashSeen();
    const auto whole = place.tree->disk(rootNode);
    const auto seen = whole > seenAgain ? whole - seenAgain : 0;
    // What is planned is part of what was seen, or of the trash outside of it.
    const auto fromTrash = place.bytesOfTrashPlanned();
    const auto planned = std::min(place.bytesToCome() - std::min(place.bytesToCome(), fromTrash), seen);
    const auto trash = place.bytesInTrash() - fromTrash;
    const auto known = seen + trash + fromTrash;
    const auto notSeen = c.used > known ? c.used - known : 0;
    using Fill = GaugeBar::Fill;
    std::vector<GaugeBar::Segment> segments;
    segments.push_back({Fill::Seen, seen - planned,
                        planned > 0 ? QObject::tr("stays %1").arg(sizeText(seen - planned))
                                    : QObject::tr("seen %1").arg(sizeText(seen))});
    segments.push_back(
        {Fill::Planned, planned + fromTrash, QObject::tr("planned %1").arg(sizeText(planned + fromTrash))});
    segments.push_back({Fill::Trash, trash, QObject::tr("in the trash %1").arg(sizeText(trash))});
    segments.push_back({Fill::NotSeen, notSeen,
                        (place.isGrowing()    ? QObject::tr("not seen yet %1")
                         : !place.hasLedger() ? QObject::tr("not seen %1")
                         : place.wholeDrive   ? QObject::tr("not seen %1: why?")
                                              : QObject::tr("elsewhere on the drive %1"))
                            .arg(sizeText(notSeen))});
    segments.push_back({Fill::Reserved, c.reserved, QObject::tr("reserved %1").arg(sizeText(c.reserved))});
    segments.push_back({Fill::Free, c.free, QObject::tr("free %1").arg(sizeText(c.free))});
    return segments;
}

Gauge::Gauge(Session& session, QWidget* parent)
    : QFrame(parent), session_(session), place_(new QPushButton), facts_(new CutLabel(11)), bar_(new GaugeBar),
      free_(new QLabel), note_(new QLabel), emptyTrash_(new QPushButton(tr("empty trash…")))
{
    setProperty("role", "panel");
    setObjectName("gauge");
    setFixedHeight(68);

    auto* left = new QVBoxLayout;
    place_->setProperty("role", "place");
    place_->setObjectName("place");
    place_->setMenu(new QMenu(place_));
    connect(place_->menu(), &QMenu::aboutToShow, this, &Gauge::fillPlaceMenu);
    facts_->setContentsMargins(1, 0, 0, 0);
    left->setSpacing(0);
    left->addStretch();
    left->addWidget(place_, 0, Qt::AlignLeft);
    left->addWidget(facts_);
    left->addStretch();
    auto* leftBox = new QWidget;
    leftBox->setLayout(left);
    leftBox->setFixedWidth(262);
    left->setContentsMargins(14, 0, 0, 0);

    auto* right = new QVBoxLayout;
    right->setContentsMargins(0, 8, 18, 8);
    right->setSpacing(0);
    free_->setProperty("role", "title");
    free_->setObjectName("free");
    free_->setAlignment(Qt::AlignRight);
    note_->setProperty("role", "small");
    note_->setObjectName("freeNote");
    note_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    emptyTrash_->setProperty("role", "link");
    emptyTrash_->setObjectName("emptyTrash");
    emptyTrash_->setFont(fontOf(11));
    auto* noteLine = new QHBoxLayout;
    noteLine->setSpacing(2);
    noteLine->addStretch();
    noteLine->addWidget(note_);
    noteLine->addWidget(emptyTrash_);
    right->addStretch();
    right->addWidget(free_);
    right->addLayout(noteLine);
    right->addStretch();

    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(18);
    layout->addWidget(leftBox);
    auto* middle = new QVBoxLayout;
    middle->addStretch();
    middle->addWidget(bar_);
    middle->addStretch();
    layout->addLayout(middle, 1);
    layout->addLayout(right);

    connect(emptyTrash_, &QPushButton::clicked, this, &Gauge::emptyTrashRequested);
    connect(bar_, &GaugeBar::explainRequested, this, &Gauge::ledgerRequested);
    for (const auto signal :
         {&Session::placeChanged, &Session::treeChanged, &Session::planChanged, &Session::capacityChanged})
        connect(&session_, signal, this, &Gauge::update);
    update();
}

void Gauge::fillPlaceMenu()
{
    auto* menu = place_->menu();
    menu->clear();
    const auto& places = session_.places();
    for (std::size_t i = 0; i < places.size(); ++i) {
        const auto& info = places[i]->info;
        const auto when = places[i]->isGrowing() ? tr("being scanned") : whenText(info.taken);
        const auto partial = info.partial && !places[i]->isGrowing() ? tr(", partial") : QString();
        auto* action =
            menu->addAction(toText(info.placeName) + "   " + when + partial, [this, i] { session_.showPlace(i); });
        action->setCheckable(true);
        action->setChecked(places[i].get() == session_.place());
    }
    if (places.empty()) {
        menu->addAction(tr("No place is open"))->setEnabled(false);
        return;
    }
    menu->addSeparator();
    menu->addAction(tr("Close %1").arg(toText(session_.place()->info.placeName)), [this] {
        for (std::size_t i = 0; i < session_.places().size(); ++i)
            if (session_.places()[i].get() == session_.place())
                return session_.closePlace(i);
    });
}

void Gauge::update()
{
    const auto* place = session_.place();
    emptyTrash_->setVisible(place && place->bytesInTrash() > 0);
    bar_->setVisible(place != nullptr);
    if (!place) {
        place_->setText(tr("No place open"));
        facts_->setText(tr("Scan a drive or a folder"));
        bar_->setSegments({});
        free_->clear();
        note_->clear();
        return;
    }
    const auto& info = place->info;
    const auto name = cutMiddle(toText(info.placeName), fontOf(15, QFont::DemiBold), 200);
    place_->setText(name + QStringLiteral("  ▾"));
    QStringList facts{QString()};
    if (!info.filesystem.empty() && place->wholeDrive)
        facts << toText(info.filesystem);
    facts << (place->isGrowing()    ? tr("being scanned")
              : place->fromSnapshot ? tr("snapshot of %1").arg(whenText(info.taken))
                                    : tr("scanned %1").arg(whenText(info.taken)));
    bar_->setExplains(place->hasLedger());
    if (info.partial && !place->isGrowing())
        facts << tr("partial");
    facts_->setText(toText(info.place), facts.join(QStringLiteral(" · ")));
    bar_->setSegments(gaugeSegments(*place));

    const auto trash = place->bytesInTrash() - place->bytesOfTrashPlanned();
    const auto onlyEmptied = trash + place->plan.plannedBytes(Action::Trash);
    const auto& c = place->capacity;
    const auto accent = theme().accent.name();
    if (place->freeAfter() > c.free)
        free_->setText(tr("%1 free <span style='color:%3'>→ %2</span>")
                           .arg(sizeText(c.free), sizeText(place->freeAfter()), accent));
    else
        free_->setText(c.total > 0 ? tr("%1 free").arg(sizeText(c.free)) : QString());
    QStringList coming;
    for (const auto& destination : place->destinations)
        if (destination.capacity.total > 0)
            coming << tr("%1 %2 → %3")
                          .arg(toText(destination.name), sizeText(destination.capacity.free),
                               sizeText(destination.capacity.free -
                                        std::min(destination.capacity.free, destination.coming)));
    note_->setToolTip(coming.join(QLatin1Char('\n')));
    if (!coming.isEmpty())
        note_->setText(coming.size() == 1 ? coming.first() : tr("after the plan, on %1 drives").arg(coming.size() + 1));
    else if (trash > 0)
        note_->setText(tr("%1 in the trash, not free yet ·").arg(sizeText(trash)));
    else if (place->freeAfter() > c.free)
        note_->setText(onlyEmptied > 0 ? tr("after the plan, once the trash is emptied") : tr("after the plan"));
    else
        note_->setText(c.total > 0 ? tr("of %1").arg(sizeText(c.total)) : QString());
}

} // namespace kurvo::app
