// SPDX-License-Identifier: GPL-3.0-or-later
// Several places as one: how they come together, and sets of them.
#include <QMenu>

#include "app/dialogs/choose.h"
#include "app/shell/main_window.h"
#include "app/style/mnemonics.h"
#include "app/style/words.h"

namespace kurvo::app {

void MainWindow::wireTogether()
{
    connect(scan_, &ScanStage::togetherWanted, this,
            [this](const std::vector<std::string>& places) { models_.together.joinOnceOpen(places); });
    connect(scan_, &ScanStage::setsWanted, this,
            [this](const std::vector<PlaceSet>& sets, const std::vector<std::string>& places) {
                models_.together.openSets(
                    sets, places, [this](const std::string& path, const QString& name) { scan_->scan(path, name); });
            });
    connect(scan_, &ScanStage::renameSetWanted, &models_.together, &Together::renameSet);
    connect(scan_, &ScanStage::removeSetWanted, &models_.together, &Together::removeSet);
    connect(&models_.together, &Together::setsChanged, scan_, &ScanStage::reload);
}

void MainWindow::keepAsSet()
{
    const auto* place = models_.places.place();
    if (!place || !place->isTogether())
        return;
    QStringList names;
    for (const auto& part : place->parts)
        names << part.name;
    const auto last = names.takeLast();
    const auto words = tr("%1 and %2").arg(names.join(QStringLiteral(", ")), last);
    askForName(this, "keepSet", tr("Keep as a set"), tr("Name of the set"),
               place->setName.empty() ? words : toText(place->setName),
               [this](const QString& name) { models_.together.keepAsSet(name); });
}

void MainWindow::addToTogether()
{
    auto* menu = new QMenu(this);
    menu->setObjectName("addToTogether");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const auto id : models_.together.addable())
        menu->addAction(asRead(toText(models_.places.placeOf(id)->info.placeName)), this,
                        [this, id] { models_.together.add(id); });
    if (menu->actions().isEmpty())
        menu->addAction(tr("No other place of this machine is open"))->setEnabled(false);
    menu->popup(gauge_->placeButton()->mapToGlobal(QPoint(0, gauge_->placeButton()->height())));
}

} // namespace kurvo::app
