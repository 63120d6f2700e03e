// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/painted_parts.h"

#include <QAbstractButton>
#include <QAccessibleActionInterface>
#include <QAccessibleWidget>
#include <QPointer>
#include <QStackedWidget>

#include <map>

namespace kurvo::app {
namespace {

/// Null for others, and for one that is being taken down: it is only a QWidget by then.
PaintedParts* partsOf(QWidget* widget)
{
    return dynamic_cast<PaintedParts*>(widget);
}

int countOf(QWidget* widget)
{
    const auto* parts = partsOf(widget);
    return parts ? parts->partCount() : 0;
}

class AccessiblePart : public QAccessibleInterface, public QAccessibleActionInterface {
public:
    AccessiblePart(QWidget* widget, int index) : widget_(widget), index_(index) { }

    bool isValid() const override { return widget_ && index_ < countOf(widget_); }
    QObject* object() const override { return nullptr; }
    QWindow* window() const override { return widget_ ? widget_->window()->windowHandle() : nullptr; }
    QAccessibleInterface* parent() const override { return QAccessible::queryAccessibleInterface(widget_); }
    QAccessibleInterface* child(int) const override { return nullptr; }
    QAccessibleInterface* childAt(int, int) const override { return nullptr; }
    int childCount() const override { return 0; }
    int indexOfChild(const QAccessibleInterface*) const override { return -1; }
    QAccessible::Role role() const override { return QAccessible::ListItem; }
    void setText(QAccessible::Text, const QString&) override { }

    QString text(QAccessible::Text which) const override
    {
        const auto part = own();
        if (which == QAccessible::Name)
            return part.value.isEmpty() ? part.name : QObject::tr("%1, %2").arg(part.name, part.value);
        return which == QAccessible::Value         ? part.value
               : which == QAccessible::Description ? part.description
                                                   : QString();
    }
    QRect rect() const override
    {
        const auto box = own().rect;
        return widget_ && !box.isNull() ? QRect(widget_->mapToGlobal(box.topLeft()), box.size()) : QRect();
    }
    QAccessible::State state() const override
    {
        QAccessible::State state;
        state.invalid = !isValid();
        if (state.invalid)
            return state;
        const auto part = own();
        state.selectable = true;
        state.selected = part.selected;
        state.focusable = true;
        state.focused = part.focused && widget_->hasFocus();
        state.invisible = !widget_->isVisible();
        state.offscreen = part.rect.isNull();
        return state;
    }

    void* interface_cast(QAccessible::InterfaceType type) override
    {
        return type == QAccessible::ActionInterface ? static_cast<QAccessibleActionInterface*>(this) : nullptr;
    }
    QStringList actionNames() const override { return {pressAction()}; }
    void doAction(const QString& name) override
    {
        if (name == pressAction() && isValid())
            partsOf(widget_)->pressPart(index_);
    }
    QStringList keyBindingsForAction(const QString&) const override { return {}; }

private:
    PaintedPart own() const { return isValid() ? partsOf(widget_)->part(index_) : PaintedPart(); }

    QPointer<QWidget> widget_;
    int index_;
};

class AccessibleParts : public QAccessibleWidget {
public:
    explicit AccessibleParts(QWidget* widget) : QAccessibleWidget(widget) { }
    ~AccessibleParts() override
    {
        for (const auto& [index, id] : ids_)
            QAccessible::deleteAccessibleInterface(id);
    }

    /// It may have been asked for before the widget was all it is.
    QAccessible::Role role() const override
    {
        const auto* parts = partsOf(widget());
        return parts ? parts->partsRole() : QAccessible::Client;
    }
    QString text(QAccessible::Text which) const override
    {
        const auto* parts = which == QAccessible::Value ? partsOf(widget()) : nullptr;
        if (const auto value = parts ? parts->partsValue() : QString(); !value.isEmpty())
            return value;
        return QAccessibleWidget::text(which);
    }
    QAccessible::State state() const override
    {
        auto state = QAccessibleWidget::state();
        if (const auto* button = qobject_cast<QAbstractButton*>(widget())) {
            state.selectable = button->isCheckable();
            state.selected = state.checked = button->isChecked();
        }
        return state;
    }
    QStringList actionNames() const override
    {
        auto names = QAccessibleWidget::actionNames();
        if (qobject_cast<QAbstractButton*>(widget()))
            names.prepend(pressAction());
        return names;
    }
    void doAction(const QString& name) override
    {
        auto* button = qobject_cast<QAbstractButton*>(widget());
        if (button && name == pressAction())
            return button->click();
        QAccessibleWidget::doAction(name);
    }

    int childCount() const override { return QAccessibleWidget::childCount() + countOf(widget()); }
    QAccessibleInterface* child(int number) const override
    {
        const int widgets = QAccessibleWidget::childCount();
        if (number < widgets)
            return QAccessibleWidget::child(number);
        const int index = number - widgets;
        if (index >= countOf(widget()))
            return nullptr;
        auto& id = ids_[index];
        if (!QAccessible::accessibleInterface(id))
            id = QAccessible::registerAccessibleInterface(new AccessiblePart(widget(), index));
        return QAccessible::accessibleInterface(id);
    }
    QAccessibleInterface* childAt(int x, int y) const override
    {
        const auto* parts = partsOf(widget());
        const int at = parts ? parts->partAt(widget()->mapFromGlobal(QPoint(x, y))) : -1;
        return at < 0 ? QAccessibleWidget::childAt(x, y) : child(QAccessibleWidget::childCount() + at);
    }
    int indexOfChild(const QAccessibleInterface* wanted) const override
    {
        for (const auto& [index, id] : ids_)
            if (wanted && QAccessible::accessibleInterface(id) == wanted)
                return QAccessibleWidget::childCount() + index;
        return QAccessibleWidget::indexOfChild(wanted);
    }

private:
    mutable std::map<int, QAccessible::Id> ids_;
};

/// Of pages that lie on each other only the one that is seen is there.
class AccessiblePages : public QAccessibleWidget {
public:
    explicit AccessiblePages(QStackedWidget* pages) : QAccessibleWidget(pages, QAccessible::LayeredPane) { }
    int childCount() const override { return pages()->currentWidget() ? 1 : 0; }
    QAccessibleInterface* child(int) const override
    {
        return QAccessible::queryAccessibleInterface(pages()->currentWidget());
    }
    QAccessibleInterface* childAt(int x, int y) const override
    {
        return pages()->rect().contains(pages()->mapFromGlobal(QPoint(x, y))) ? child(0) : nullptr;
    }
    int indexOfChild(const QAccessibleInterface* wanted) const override
    {
        return wanted && wanted->object() == pages()->currentWidget() ? 0 : -1;
    }

private:
    QStackedWidget* pages() const { return static_cast<QStackedWidget*>(widget()); }
};

QAccessibleInterface* makeAccessible(const QString&, QObject* object)
{
    if (auto* pages = qobject_cast<QStackedWidget*>(object))
        return new AccessiblePages(pages);
    auto* widget = qobject_cast<QWidget*>(object);
    return widget && partsOf(widget) ? new AccessibleParts(widget) : nullptr;
}

} // namespace

/// Before anybody can ask about the widget: an interface is made once and kept.
PaintedParts::PaintedParts()
{
    static const bool once = (QAccessible::installFactory(makeAccessible), true);
    (void)once;
}

void tellParts(QWidget* widget, int current)
{
    if (!QAccessible::isActive())
        return;
    QAccessibleEvent changed(widget, QAccessible::ObjectReorder);
    QAccessible::updateAccessibility(&changed);
    if (current < 0 || !widget->hasFocus())
        return;
    if (auto* all = QAccessible::queryAccessibleInterface(widget))
        if (auto* one = all->child(all->childCount() - countOf(widget) + current)) {
            QAccessibleEvent focus(one, QAccessible::Focus);
            QAccessible::updateAccessibility(&focus);
        }
}

} // namespace kurvo::app
