// SPDX-License-Identifier: GPL-3.0-or-later
// The ready-made questions of Find: their words, and the list of them with count and bytes.
#pragma once

#include <QListWidget>

#include <array>

#include "core/find/questions.h"

namespace kurvo::app {

/// The question as it is asked, and what to mind.
QString questionText(Question question);
QString questionAdvice(Question question);

class QuestionList : public QListWidget {
    Q_OBJECT
public:
    explicit QuestionList(QWidget* parent = nullptr);

    /// The leads come first, then the questions in their order.
    static constexpr int leadsRow = 0;
    static constexpr int rowOf(Question question) { return 1 + static_cast<int>(question); }
    void setAnswers(const std::array<Answer, questionCount>& answers);
};

} // namespace kurvo::app
