// SPDX-License-Identifier: GPL-3.0-or-later
// The cells of a picture for assistive tools: name, size and path of what the focus folder holds.
#include <QAccessible>
#include <QAccessibleWidget>
#include <QPointer>

#include <algorithm>
#include <map>

#include "app/pictures/picture_view.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

class AccessibleCell : public QAccessibleInterface {
public:
    AccessibleCell(PictureView* view, int index) : view_(view), index_(index) { }

    bool isValid() const override { return view_ && view_->picture() && index_ < view_->picture()->size(); }
    QObject* object() const override { return nullptr; }
    QAccessibleInterface* parent() const override { return QAccessible::queryAccessibleInterface(view_); }
    QAccessibleInterface* child(int) const override { return nullptr; }
    QAccessibleInterface* childAt(int, int) const override { return nullptr; }
    int childCount() const override { return 0; }
    int indexOfChild(const QAccessibleInterface*) const override { return -1; }
    QAccessible::Role role() const override { return QAccessible::ListItem; }
    void setText(QAccessible::Text, const QString&) override { }

    QString text(QAccessible::Text which) const override
    {
        const auto* place = isValid() ? view_->places().place() : nullptr;
        if (!place)
            return {};
        const auto& cell = view_->picture()->cell(index_);
        const CellColours words(*place, view_->places().measure());
        if (which == QAccessible::Name)
            return (words.isHidden(cell) ? QObject::tr("%1, %2, hidden") : QObject::tr("%1, %2"))
                .arg(words.name(cell), words.size(cell));
        if (which == QAccessible::Value)
            return words.size(cell);
        return which == QAccessible::Description && cell.node != noNode ? toText(place->tree->path(cell.node))
                                                                        : QString();
    }

    QRect rect() const override
    {
        if (!isValid())
            return {};
        const auto box = view_->picture()->shape(index_).boundingRect().toRect();
        return {view_->mapToGlobal(box.topLeft()), box.size()};
    }

    QAccessible::State state() const override
    {
        QAccessible::State state;
        const auto* place = isValid() ? view_->places().place() : nullptr;
        if (!place) {
            state.invalid = true;
            return state;
        }
        state.selectable = true;
        state.selected = place->isSelected(view_->picture()->cell(index_).node);
        return state;
    }

private:
    QPointer<PictureView> view_;
    int index_;
};

class AccessiblePicture : public QAccessibleWidget {
public:
    explicit AccessiblePicture(PictureView* view) : QAccessibleWidget(view, QAccessible::List), view_(view) { }
    ~AccessiblePicture() override { forget(); }

    int childCount() const override { return static_cast<int>(cells().size()); }

    QAccessibleInterface* child(int number) const override
    {
        const auto& all = cells();
        if (number < 0 || number >= static_cast<int>(all.size()))
            return nullptr;
        const int index = all[static_cast<std::size_t>(number)];
        auto& id = ids_[index];
        if (!QAccessible::accessibleInterface(id))
            id = QAccessible::registerAccessibleInterface(new AccessibleCell(view_, index));
        return QAccessible::accessibleInterface(id);
    }

    QAccessibleInterface* childAt(int x, int y) const override
    {
        const auto* picture = view_->picture();
        int at = picture ? picture->at(view_->mapFromGlobal(QPoint(x, y))) : -1;
        while (at > 0 && picture->cell(at).depth > 1)
            at = static_cast<int>(picture->cell(at).parent);
        const auto& all = cells();
        const auto found = std::find(all.begin(), all.end(), at);
        return found == all.end() ? nullptr : child(static_cast<int>(found - all.begin()));
    }

    int indexOfChild(const QAccessibleInterface* wanted) const override
    {
        const auto& all = cells();
        for (std::size_t i = 0; i < all.size(); ++i)
            if (const auto id = ids_.find(all[i]);
                id != ids_.end() && QAccessible::accessibleInterface(id->second) == wanted)
                return static_cast<int>(i);
        return -1;
    }

private:
    /// What the focus folder holds: the cells of the first level.
    const std::vector<int>& cells() const
    {
        const auto* picture = view_->picture();
        if (view_->layouts() == shown_)
            return cells_;
        forget();
        shown_ = view_->layouts();
        cells_.clear();
        for (int i = 1; picture && i < picture->size(); i = static_cast<int>(picture->cell(i).end))
            cells_.push_back(i);
        return cells_;
    }
    void forget() const
    {
        for (const auto& [index, id] : ids_)
            QAccessible::deleteAccessibleInterface(id);
        ids_.clear();
    }

    PictureView* view_;
    mutable unsigned shown_ = 0;
    mutable std::vector<int> cells_;
    mutable std::map<int, QAccessible::Id> ids_;
};

QAccessibleInterface* makeAccessible(const QString&, QObject* object)
{
    auto* view = qobject_cast<PictureView*>(object);
    return view ? new AccessiblePicture(view) : nullptr;
}

} // namespace

void installAccessiblePictures()
{
    static bool done = false;
    if (!done)
        QAccessible::installFactory(makeAccessible);
    done = true;
}

} // namespace kurvo::app
