// SPDX-License-Identifier: GPL-3.0-or-later
// Two panels beside what a stage is about. Each can be hidden and has the width it was given; where there is no room
// for both, the one that was not asked for last gives way, so that the middle keeps its least width.
#pragma once

#include <QSplitter>

namespace kurvo::app {

class SidePanels : public QSplitter {
    Q_OBJECT
public:
    struct Panel {
        QWidget* widget; ///< null for none; its minimumWidth() is kept
        int width;       ///< at first
    };
    /// `leastMiddle`: what the middle keeps before a panel gives way.
    SidePanels(const Panel& left, QWidget* middle, const Panel& right, int leastMiddle, QWidget* parent = nullptr);

    enum class Side { Left, Right };
    bool has(Side side) const { return panel(side) != nullptr; }
    bool isShown(Side side) const { return has(side) && !panel(side)->isHidden(); }
    /// It may still give way.
    void setWanted(Side side, bool wanted);
    /// Asked for by a person: comes, also where the other one has to give way; hides where it is seen.
    void toggle(Side side);
    /// Widths, and which are wanted, to be kept from start to start.
    QByteArray kept() const;
    /// False where it means nothing.
    bool restore(const QByteArray& kept);

signals:
    void changed(); ///< by a person

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    static std::size_t index(Side side) { return side == Side::Left ? 0 : 1; }
    QWidget* panel(Side side) const { return panels_[index(side)]; }
    void fit();

    QWidget* panels_[2];
    int leastMiddle_;
    bool wanted_[2] = {true, true};
    int widths_[2] = {0, 0}; ///< as they were given
    Side last_ = Side::Left; ///< asked for
};

} // namespace kurvo::app
