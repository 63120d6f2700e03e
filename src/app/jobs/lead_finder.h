// SPDX-License-Identifier: GPL-3.0-or-later
// What stands out in the current place: found after each scan, and now and then while one runs; which leads are chosen,
// and which were put aside on this machine.
//
// Interface thread only.
#pragma once

#include <QElapsedTimer>
#include <QTimer>

#include <set>
#include <string>
#include <vector>

#include "app/model/cursor.h"
#include "app/model/place_view.h"
#include "app/model/plan_model.h"
#include "core/leads/aside.h"

namespace kurvo::app {

class LeadFinder : public QObject {
    Q_OBJECT
public:
    LeadFinder(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& view,
               PlanModel& plan, Knowledge& knowledge, Notices& notices, QObject* parent = nullptr);
    /// For good.
    void stop();

    /// Of the current place; null until they are known.
    const Leads* leads() const { return places_.place() ? places_.place()->leads.get() : nullptr; }
    bool isWorking() const { return working_; }
    /// Of the machine of the current place.
    const std::vector<AsideLead>& aside() const { return aside_; }

    /// Selects and highlights the items of these, by their ids, in every view.
    void choose(const std::vector<std::string>& ids);
    const std::set<std::string>& chosen() const { return chosen_; }
    /// What is selected was selected by choose(), and nobody has selected anything else since.
    bool isSelectedByLead() const
    {
        return selected_ != noNode && places_.place() && places_.place()->selection == selected_;
    }
    /// Selects the items of one and goes to the folder that they lie in.
    void goTo(const Lead& lead);
    /// Plans the items of all chosen ones that may usually go, as one change; of all leads where none is chosen.
    void planWhatIsSafe();
    void putAside(const Lead& lead, const QString& note);
    void bringBack(const std::string& id);

signals:
    void asideChanged();
    void leadsChanged(); ///< of the current place, or whether they are being looked for, or what is aside
    void chosenChanged();

private:
    void soon();
    void look();
    void changeAside(std::function<Result<Done>(const AsideLeads&)> change);

    const AppFolders& folders_;
    PlaceStore& places_;
    Cursor& cursor_;
    PlaceView& view_;
    PlanModel& plan_;
    Knowledge& knowledge_;
    Notices& notices_;
    std::vector<AsideLead> aside_;
    std::set<std::string> chosen_;
    NodeId selected_ = noNode;
    QTimer soon_;
    QElapsedTimer rested_; ///< since the last look ended
    qint64 took_ = 0;      ///< milliseconds, the last look
    bool working_ = false;
    bool again_ = false;
    std::stop_source stop_;
};

} // namespace kurvo::app
