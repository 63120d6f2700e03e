// SPDX-License-Identifier: GPL-3.0-or-later
// What a stage shows before there is anything to show: what will be there, and the way to it.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

namespace kurvo::app {

class EmptyPage : public QWidget {
    Q_OBJECT
public:
    explicit EmptyPage(const QString& sentence, QWidget* parent = nullptr)
        : QWidget(parent), title_(new QLabel), text_(new QLabel), buttons_(new QVBoxLayout)
    {
        title_->setProperty("role", "title");
        text_->setProperty("role", "second");
        text_->setWordWrap(true);
        text_->setAlignment(Qt::AlignHCenter | Qt::AlignTop);
        text_->setFixedWidth(440);
        auto* button = new QPushButton(tr("Choose what to scan"));
        button->setProperty("role", "primary");
        connect(button, &QPushButton::clicked, this, &EmptyPage::scanRequested);
        buttons_->addWidget(button, 0, Qt::AlignCenter);
        // In a row of its own the text gets the height that its width needs.
        auto* row = new QHBoxLayout;
        row->addStretch();
        row->addWidget(text_);
        row->addStretch();
        auto* layout = new QVBoxLayout(this);
        layout->addStretch(2);
        layout->addWidget(title_, 0, Qt::AlignCenter);
        layout->addLayout(row);
        layout->addSpacing(10);
        layout->addLayout(buttons_);
        layout->addStretch(3);
        say(tr("Nothing is open yet"), sentence);
    }

    void say(const QString& title, const QString& text)
    {
        title_->setText(title);
        text_->setText(text);
    }
    /// Another way on, below the first.
    void add(QPushButton* button) { buttons_->addWidget(button, 0, Qt::AlignCenter); }
    QString title() const { return title_->text(); }

signals:
    void scanRequested();

private:
    QLabel* title_;
    QLabel* text_;
    QVBoxLayout* buttons_;
};

} // namespace kurvo::app
