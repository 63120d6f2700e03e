// SPDX-License-Identifier: GPL-3.0-or-later
// Everything that the window can do, each once: its words, its keys, when it is possible, what it does. Menus, context
// menus, buttons, tooltips and the help about keys are all made from this, so that they cannot disagree.
#pragma once

#include <QAbstractButton>
#include <QAction>
#include <QActionGroup>
#include <QMenu>

#include <functional>
#include <map>
#include <utility>
#include <vector>

namespace kurvo::app {

struct Command {
    QString words;
    QList<QKeySequence> keys = {};
    std::function<void()> run;
    std::function<bool()> possible = {};    ///< none: always
    std::function<bool()> isOn = {};        ///< none: it is nothing that is on or off
    std::function<QString()> wordsNow = {}; ///< none: its words stay what they are
    QActionGroup* group = nullptr;          ///< one of these is on
};

/// Interface thread only.
class Commands : public QObject {
    Q_OBJECT
public:
    /// Keys work in all of the window.
    explicit Commands(QWidget& window) : QObject(&window), window_(window) { }

    /// Puts a command at the end of a menu. The action is the command wherever else it is shown.
    QAction* add(QMenu* menu, Command command);
    /// Takes out all that is in the menu.
    void clear(QMenu* menu);
    /// Asks each anew whether it is possible, whether it is on, and for its words.
    void refresh();

    /// Pressing the button is the command.
    static void press(QAbstractButton* button, QAction* command);
    /// The widget's tooltip ends with the command's key.
    static void tellKey(QWidget* widget, const QAction* command);
    /// The same behind the words on a button.
    static void showKey(QAbstractButton* button, const QAction* command);

    /// Words and keys of all commands that have keys, in the order of the menus.
    std::vector<std::pair<QString, QString>> keys() const;

private:
    QWidget& window_;
    std::vector<std::pair<QAction*, Command>> commands_;
};

} // namespace kurvo::app
