// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pictures/legend.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

#include "app/pictures/class_colours.h"
#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

Legend::Legend(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView, QWidget* parent)
    : QWidget(parent), places_(places), trees_(trees), cursor_(cursor), placeView_(placeView)
{
    setObjectName("legend");
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setMouseTracking(true);
    setFocusPolicy(Qt::TabFocus);
    listen(this, &Legend::refresh, places_, &PlaceStore::placeChanged, trees_, &TreeUpdater::treeChanged, trees_,
           &TreeUpdater::shownChanged, cursor_, &Cursor::focusChanged, placeView_, &PlaceView::measureChanged,
           placeView_, &PlaceView::viewChanged, placeView_, &PlaceView::coloursChanged);
    connect(&placeView_, &PlaceView::litChanged, this, &Legend::rebuild);
}

void Legend::refresh()
{
    const auto* place = places_.place();
    // While a scan runs the mix, which visits everything below, follows about once a second.
    if (place && place->isGrowing() && age_.isValid() && age_.elapsed() < 900 && shown_ == place->focus)
        return;
    if (place && place->scheme->by() != place->view.colour)
        return; // the colours are being worked out
    if (place && tree_.lock() == place->shown() && asked_ == place->scheme && shown_ == place->focus &&
        measure_ == places_.measure())
        return;
    const auto request = ++request_;
    tree_ = place ? place->shown() : nullptr;
    asked_ = place ? place->scheme : nullptr;
    measure_ = places_.measure();
    if (!place) {
        mix_ = {};
        scheme_ = nullptr;
        return rebuild();
    }
    age_.start();
    shown_ = place->focus;
    const auto scheme = place->scheme;
    runAsync(
        this,
        [tree = place->shown(), focus = place->focus, scheme, measure = places_.measure()] {
            return mixOf(*tree, *scheme, focus, measure);
        },
        [this, request, scheme](const ClassMix& mix) {
            if (request != request_)
                return;
            mix_ = mix;
            scheme_ = scheme;
            rebuild();
        });
}

QString Legend::title() const
{
    const auto* place = places_.place();
    if (!place || !scheme_)
        return {};
    if (scheme_->by() == ColourBy::Growth)
        return tr("growth since %1").arg(whenText(place->earlierTaken));
    return tr("by %1").arg(schemeName(scheme_->by()));
}

void Legend::rebuild()
{
    entries_.clear();
    const auto* place = places_.place();
    if (place && scheme_) {
        if (place->lit.files) {
            Entry entry;
            entry.isType = true;
            entry.name = tr("highlighted: what was found ×");
            entry.colour = theme().accent;
            entries_.push_back(entry);
        } else if (place->lit.type != 0) {
            const auto& type = typeInfo(place->lit.type);
            Entry entry;
            entry.isType = true;
            entry.name = tr("highlighted: %1 ×")
                             .arg(QString::fromUtf8(type.name.data(), static_cast<qsizetype>(type.name.size())));
            entry.colour = familyColour(type.family);
            entries_.push_back(entry);
        }
        std::vector<unsigned> order;
        for (unsigned of = 0; of < scheme_->classes(); ++of)
            if (mix_.size[of] > 0 || mix_.files[of] > 0)
                order.push_back(of);
        // Ages and growth keep their order; all else goes by size.
        if (scheme_->by() != ColourBy::Age && scheme_->by() != ColourBy::Growth)
            std::stable_sort(order.begin(), order.end(),
                             [this](auto a, auto b) { return mix_.size[a] > mix_.size[b]; });
        for (const auto of : order)
            entries_.push_back(
                {of,
                 className(*scheme_, of, place->info),
                 places_.measure() == Measure::Files ? countText(mix_.size[of]) : sizeText(mix_.size[of]),
                 classColour(*scheme_, of),
                 false,
                 {}});
    }
    QStringList words;
    for (const auto& entry : entries_)
        words << QStringLiteral("%1 %2").arg(entry.name, entry.size).trimmed();
    setToolTip(words.isEmpty() ? QString() : title() + QLatin1Char('\n') + words.join(QLatin1Char('\n')));
    setAccessibleName(tr("Legend, %1: %2").arg(title(), words.join(", ")));
    current_ = std::min(current_, entries_.empty() ? 0 : entries_.size() - 1);
    findPlaces();
    tellParts(this);
}

std::size_t Legend::paintEntries(QPainter& painter, const QRect& area, std::vector<Entry>& entries, const Lit& lit)
{
    painter.setFont(fontOf(11));
    const QFontMetrics metrics(painter.font());
    int at = area.left();
    for (std::size_t i = 0; i < entries.size(); ++i) {
        auto& entry = entries[i];
        entry.rect = {};
        const int wide = 15 + metrics.horizontalAdvance(entry.name) +
                         (entry.size.isEmpty() ? 0 : 5 + metrics.horizontalAdvance(entry.size));
        const auto more = QObject::tr("and %1 more").arg(entries.size() - i);
        const bool last = i + 1 == entries.size();
        if (at + wide + (last ? 0 : metrics.horizontalAdvance(more) + 16) > area.right()) {
            painter.setPen(theme().textSecond);
            painter.drawText(QRect(at, area.y(), area.right() - at, area.height()), Qt::AlignVCenter, more);
            for (auto rest = i; rest < entries.size(); ++rest)
                entries[rest].rect = {};
            return entries.size() - i;
        }
        entry.rect = QRect(at - 3, area.y() + 2, wide + 6, area.height() - 4);
        const bool on =
            !lit.any() || entry.isType || (lit.type == 0 && !lit.files && (lit.classes >> entry.of & 1) != 0);
        const int middle = area.y() + area.height() / 2;
        painter.setPen(theme().dark || entry.colour.lightness() > 220 ? QPen(theme().textSecond) : QPen(Qt::NoPen));
        painter.setBrush(on ? QBrush(entry.colour) : QBrush(Qt::NoBrush));
        if (!on)
            painter.setPen(entry.colour);
        painter.drawRect(QRect(at, middle - 5, 9, 9));
        painter.setPen(on ? theme().text : theme().textSecond);
        painter.drawText(QPoint(at + 15, middle + 4), entry.name);
        painter.setPen(theme().textSecond);
        painter.drawText(QPoint(at + 20 + metrics.horizontalAdvance(entry.name), middle + 4), entry.size);
        if (lit.any() && on) {
            painter.setPen(QPen(theme().accent, 2));
            painter.drawLine(at, area.bottom() - 3, at + wide, area.bottom() - 3);
        }
        at += wide + 16;
    }
    return 0;
}

void Legend::findPlaces()
{
    // The places of the entries are needed before they are painted: for the pointer.
    QImage nowhere(1, 1, QImage::Format_RGB32);
    QPainter painter(&nowhere);
    paintEntries(painter, rect(), entries_, places_.place() ? places_.place()->lit : Lit{});
    update();
}

void Legend::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    paintEntries(painter, rect(), entries_, places_.place() ? places_.place()->lit : Lit{});
    if (hasFocus() && current_ < entries_.size() && !entries_[current_].rect.isNull()) {
        painter.setPen(QPen(theme().accent, 1, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(entries_[current_].rect.adjusted(0, 0, -1, -1));
    }
}

PaintedPart Legend::part(int index) const
{
    const auto i = static_cast<std::size_t>(index);
    const auto& entry = entries_[i];
    const auto* place = places_.place();
    const bool on = place && place->lit.any() && !entry.isType && (place->lit.classes >> entry.of & 1) != 0;
    return {on ? tr("%1, highlighted").arg(entry.name) : entry.name, entry.size, {}, entry.rect, on, i == current_};
}

int Legend::partAt(const QPoint& at) const
{
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].rect.contains(at))
            return static_cast<int>(i);
    return -1;
}

void Legend::press(std::size_t index)
{
    const auto* place = places_.place();
    if (!place || index >= entries_.size())
        return;
    const auto& entry = entries_[index];
    if (entry.isType)
        return placeView_.light(place->lit);
    placeView_.light({scheme_->by(), static_cast<std::uint16_t>(1u << entry.of), 0});
}

void Legend::mousePressEvent(QMouseEvent* event)
{
    if (const int at = partAt(event->pos()); at >= 0) {
        current_ = static_cast<std::size_t>(at);
        press(current_);
    }
}

void Legend::mouseMoveEvent(QMouseEvent* event)
{
    setCursor(partAt(event->pos()) >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
}

void Legend::keyPressEvent(QKeyEvent* event)
{
    switch (entries_.empty() ? 0 : event->key()) {
    case Qt::Key_Left:
        current_ = current_ > 0 ? current_ - 1 : 0;
        tellParts(this, static_cast<int>(current_));
        return update();
    case Qt::Key_Right:
        current_ = std::min(current_ + 1, entries_.size() - 1);
        tellParts(this, static_cast<int>(current_));
        return update();
    case Qt::Key_Space:
    case Qt::Key_Return:
    case Qt::Key_Enter:
        return press(current_);
    case Qt::Key_Escape:
        if (placeView_.putOut())
            return;
        [[fallthrough]];
    default:
        QWidget::keyPressEvent(event);
    }
}

} // namespace kurvo::app
