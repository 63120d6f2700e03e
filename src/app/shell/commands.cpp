// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/commands.h"

#include <algorithm>

#include "app/style/key_shown.h"

namespace kurvo::app {
namespace {

QString keyOf(const QAction* command)
{
    return command->shortcut().toString(QKeySequence::NativeText);
}

void refreshOne(QAction* action, const Command& command)
{
    if (command.possible)
        action->setEnabled(command.possible());
    if (command.isOn)
        action->setChecked(command.isOn());
    if (command.wordsNow)
        action->setText(command.wordsNow());
}

} // namespace

QAction* Commands::add(QMenu* menu, Command command)
{
    auto* action = menu->addAction(command.words);
    action->setShortcuts(command.keys);
    action->setShortcutContext(Qt::WindowShortcut);
    action->setCheckable(static_cast<bool>(command.isOn));
    if (command.group)
        action->setActionGroup(command.group);
    connect(action, &QAction::triggered, this, [this, action, run = command.run] {
        run();
        // Choosing what is on already would switch it off.
        const auto found = std::find_if(commands_.begin(), commands_.end(),
                                        [action](const auto& entry) { return entry.first == action; });
        if (found != commands_.end())
            refreshOne(found->first, found->second);
    });
    window_.addAction(action); // so that the key works while the menu is closed
    commands_.emplace_back(action, std::move(command));
    return action;
}

void Commands::clear(QMenu* menu)
{
    const auto inside = menu->actions();
    std::erase_if(commands_, [&](const auto& entry) { return inside.contains(entry.first); });
    for (auto* action : inside) {
        menu->removeAction(action);
        action->deleteLater();
    }
}

void Commands::refresh()
{
    for (const auto& [action, command] : commands_)
        refreshOne(action, command);
}

void Commands::press(QAbstractButton* button, QAction* command)
{
    connect(button, &QAbstractButton::clicked, command, &QAction::trigger);
    const auto tell = [button, command] {
        button->setToolTip(QStringLiteral("%1 (%2)").arg(command->text(), keyOf(command)));
    };
    tell();
    connect(command, &QAction::changed, button, tell); // its words may change
}

void Commands::tellKey(QWidget* widget, const QAction* command)
{
    widget->setToolTip(QStringLiteral("%1 (%2)").arg(widget->toolTip(), keyOf(command)));
}

void Commands::showKey(QAbstractButton* button, const QAction* command)
{
    setKeyShown(button, keyOf(command));
}

std::vector<std::pair<QString, QString>> Commands::keys() const
{
    std::vector<std::pair<QString, QString>> all;
    for (const auto& [action, command] : commands_) {
        QStringList keys;
        for (const auto& key : action->shortcuts())
            keys << key.toString(QKeySequence::NativeText);
        if (!keys.isEmpty())
            all.emplace_back(action->text(), keys.join(QStringLiteral(", ")));
    }
    return all;
}

} // namespace kurvo::app
