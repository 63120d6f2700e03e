// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/knowledge.h"

#include "app/services/async.h"
#include "app/style/words.h"

namespace kurvo::app {

Knowledge::Knowledge(const AppFolders& folders, QObject* parent)
    : QObject(parent), system_(folders.system), store_(std::make_shared<MarkStore>(joinPath(folders.data, "marks.db")))
{
    marksPool_.setMaxThreadCount(1); // what is written later must not be overtaken
    runAsync(
        this, [config = folders.user.config] { return std::make_shared<const UserRules>(readUserRules(config)); },
        [this](const std::shared_ptr<const UserRules>& rules) {
            rules_ = rules;
            emit rulesRead();
            if (!rules->problems.empty()) {
                const auto& first = rules->problems.front();
                const auto more = static_cast<int>(rules->problems.size()) - 1;
                emit problem(
                    (more > 0 ? tr("%1, line %2: %3 %n more mistake(s): see \"kurvoctl advice check\".", nullptr, more)
                              : tr("%1, line %2: %3 The other rules are in use."))
                        .arg(toText(first.file))
                        .arg(first.line)
                        .arg(QString::fromStdString(first.sentence)));
            }
        });
    refreshPackages();
}

void Knowledge::refreshPackages()
{
    if (readingPackages_)
        return;
    readingPackages_ = true;
    runAsync(
        this, [root = system_] { return PackageDatabase::current(root); },
        [this](const Result<std::shared_ptr<const PackageDatabase>>& read) {
            readingPackages_ = false;
            const bool isFirst = !packagesRead_;
            packagesRead_ = true;
            if (!read && packages_)
                return; // what it knew until now guards better than nothing
            packagesProblem_ = read ? QString() : QString::fromStdString(read.error().sentence);
            const auto now = read ? *read : nullptr;
            if (!isFirst && now == packages_)
                return;
            packages_ = now;
            emit packagesReadIn();
        },
        [this](const QString& sentence) {
            readingPackages_ = false;
            emit problem(sentence);
        });
}

std::shared_ptr<const MarkBook> Knowledge::marks(const std::string& host)
{
    auto& book = marks_[host];
    if (!book) {
        book = std::make_shared<const MarkBook>();
        readMarks(host);
    }
    return book;
}

void Knowledge::readMarks(const std::string& host)
{
    runAsync(
        marksPool_, this, [store = store_, host] { return store->read(host); },
        [this, host](const Result<MarkBook>& read) {
            if (!read) {
                emit problem(QString::fromStdString(read.error().sentence));
                return;
            }
            if (read->marks.empty() && read->kinds == marks_[host]->kinds)
                return;
            marks_[host] = std::make_shared<const MarkBook>(*read);
            emit marksChanged();
        });
}

void Knowledge::setMarks(const std::string& host, std::vector<Mark> marks)
{
    auto book = std::make_shared<MarkBook>(*this->marks(host));
    for (const auto& mark : marks) {
        if (mark.kind.empty())
            book->marks.erase(mark.path);
        else
            book->marks[mark.path] = mark;
    }
    marks_[host] = std::move(book);
    emit marksChanged();
    runAsync(
        marksPool_, this, [store = store_, host, marks = std::move(marks)] { return store->write(host, marks); },
        [this, host](const Result<Done>& written) {
            if (written)
                return;
            emit problem(QString::fromStdString(written.error().sentence));
            marks_[host] = std::make_shared<const MarkBook>();
            emit marksChanged();
            readMarks(host); // what is kept is what is shown
        });
}

void Knowledge::setKinds(std::vector<MarkKind> own)
{
    for (auto& [host, book] : marks_) {
        auto changed = std::make_shared<MarkBook>(*book);
        changed->kinds = builtInMarkKinds();
        changed->kinds.insert(changed->kinds.end(), own.begin(), own.end());
        book = std::move(changed);
    }
    emit marksChanged();
    runAsync(
        marksPool_, this, [store = store_, own = std::move(own)] { return store->writeKinds(own); },
        [this](const Result<Done>& written) {
            if (!written)
                emit problem(QString::fromStdString(written.error().sentence));
        });
}

} // namespace kurvo::app
