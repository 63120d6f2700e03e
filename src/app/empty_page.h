// SPDX-License-Identifier: GPL-3.0-or-later
// What a stage shows before anything is open: what will be there, and the way to it.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

namespace kurvo::app {

class EmptyPage : public QWidget {
    Q_OBJECT
public:
    explicit EmptyPage(const QString& sentence, QWidget* parent = nullptr) : QWidget(parent)
    {
        auto* title = new QLabel(tr("Nothing is open yet"));
        title->setProperty("role", "title");
        auto* text = new QLabel(sentence);
        text->setProperty("role", "second");
        auto* button = new QPushButton(tr("Choose what to scan"));
        button->setProperty("role", "primary");
        connect(button, &QPushButton::clicked, this, &EmptyPage::scanRequested);
        auto* layout = new QVBoxLayout(this);
        layout->addStretch(2);
        layout->addWidget(title, 0, Qt::AlignCenter);
        layout->addWidget(text, 0, Qt::AlignCenter);
        layout->addSpacing(10);
        layout->addWidget(button, 0, Qt::AlignCenter);
        layout->addStretch(3);
    }

signals:
    void scanRequested();
};

} // namespace kurvo::app
