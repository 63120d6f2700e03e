// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/choose.h"

#include <QFile>
#include <QFileDialog>
#include <QInputDialog>

namespace kurvo::app {
namespace {

void open(QFileDialog* dialog, const Chosen& then)
{
    dialog->setObjectName("chooseDialog");
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    QObject::connect(dialog, &QFileDialog::fileSelected, dialog->parent(),
                     [then](const QString& path) { then(QFile::encodeName(path).toStdString()); });
    dialog->open();
}

} // namespace

void chooseFolder(QWidget* parent, const QString& title, const QString& from, const Chosen& then)
{
    auto* dialog = new QFileDialog(parent, title, from);
    dialog->setFileMode(QFileDialog::Directory);
    dialog->setOption(QFileDialog::ShowDirsOnly);
    open(dialog, then);
}

void chooseFile(QWidget* parent, const QString& title, const QString& from, const QString& kind, const Chosen& then)
{
    auto* dialog = new QFileDialog(parent, title, from, kind);
    dialog->setFileMode(QFileDialog::ExistingFile);
    open(dialog, then);
}

void askForName(QWidget* parent, const QString& dialogName, const QString& title, const QString& label,
                const QString& name, const std::function<void(const QString&)>& then)
{
    auto* ask = new QInputDialog(parent);
    ask->setObjectName(dialogName);
    ask->setAttribute(Qt::WA_DeleteOnClose);
    ask->setWindowTitle(title);
    ask->setLabelText(label);
    ask->setTextValue(name);
    QObject::connect(ask, &QInputDialog::textValueSelected, parent, [then](const QString& text) {
        if (!text.trimmed().isEmpty())
            then(text.trimmed());
    });
    ask->open();
}

} // namespace kurvo::app
