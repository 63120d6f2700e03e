// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/choose.h"

#include <QFile>
#include <QFileDialog>

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

} // namespace kurvo::app
