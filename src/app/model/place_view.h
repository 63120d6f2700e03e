// SPDX-License-Identifier: GPL-3.0-or-later
// How one looks at the current place: picture, measure, colours, depth, what is highlighted, and the marks on it.
//
// Interface thread only.
#pragma once

#include <QElapsedTimer>

#include <functional>
#include <string>
#include <vector>

#include "app/model/tree_updater.h"

namespace kurvo::app {

class PlaceView : public QObject {
    Q_OBJECT
public:
    PlaceView(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, Knowledge& knowledge, Notices& notices,
              QObject* parent = nullptr);

    void setMeasure(Measure measure);
    void setPicture(PictureKind picture);
    /// By growth the snapshot before is looked for and read first; says so where there is none.
    void setColour(ColourBy colour);
    /// The next choice there is something to tell by.
    void nextColour();
    void setDepth(int depth);
    void setAreas(bool shown);
    /// Highlights classes or a type in all views; the same again clears it.
    void light(const Lit& lit);
    /// Escape: clears the highlight, and where there is none shows all again. False where neither was to be done.
    bool putOut();
    /// Marks items of the current place; an empty kind takes the mark away.
    void mark(const std::vector<NodeId>& nodes, const std::string& kind);
    /// Their notes; what has no mark yet is marked "ask".
    void note(const std::vector<NodeId>& nodes, const QString& text);

signals:
    void measureChanged();
    void viewChanged();    ///< picture, depth, areas, or what is coloured by
    void coloursChanged(); ///< the classes of the entries are known anew
    void earlierFound();   ///< the snapshot before, to tell growth from
    void litChanged();     ///< and what is highlighted was added up
    void marksChanged();   ///< of the current place, or their kinds

private:
    enum class Wish {
        Quiet,       ///< growth beside size, where there is an earlier snapshot
        Growth,      ///< colours by it
        GrowthOrNext ///< or, without one, by what comes next
    };
    void changeView(const std::function<void(ViewState&)>& change);
    void refreshColours();
    void refreshMarks();
    void lookForEarlier();
    void findEarlier(Wish wish);
    void addUpLit();
    void changeMarks(const std::vector<NodeId>& nodes, const std::function<void(Mark&)>& change);

    const AppFolders& folders_;
    PlaceStore& places_;
    TreeUpdater& trees_;
    Knowledge& knowledge_;
    Notices& notices_;
    unsigned colourRequest_ = 0;
    unsigned litRequest_ = 0;
    unsigned marksRequest_ = 0;
    QElapsedTimer colourAge_; ///< since the colours of a growing place were last worked out
};

} // namespace kurvo::app
