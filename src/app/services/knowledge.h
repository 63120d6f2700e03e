// SPDX-License-Identifier: GPL-3.0-or-later
// What is known beside the scans: the rules of the advice, the installed packages, and the marks of each machine. Read
// in the background, packages again when the package manager has been at work; marks are written in the background as
// well and are shown at once.
//
// Interface thread only.
#pragma once

#include <QObject>
#include <QString>
#include <QThreadPool>

#include <map>
#include <memory>
#include <optional>

#include "app/services/app_folders.h"
#include "core/advice/rule_book.h"
#include "core/marks/marks.h"
#include "core/platform/package_database.h"

namespace kurvo::app {

class Knowledge : public QObject {
    Q_OBJECT
public:
    explicit Knowledge(const AppFolders& folders, QObject* parent = nullptr);

    /// Those that come with Kurvo until the user's own are read.
    const RuleBook& rules() const { return rules_ ? rules_->book : RuleBook::builtIn(); }
    /// For work on other threads.
    std::shared_ptr<const UserRules> sharedRules() const { return rules_; }
    /// Null until they are read, and where there is no such package manager.
    std::shared_ptr<const PackageDatabase> packages() const { return packages_; }
    /// Has them read again where the package manager has written since; packagesReadIn() tells of it.
    void refreshPackages();
    bool packagesRead() const { return packagesRead_; }
    QString packagesProblem() const { return packagesProblem_; }

    /// The marks of a machine; empty until they are read.
    std::shared_ptr<const MarkBook> marks(const std::string& host);
    /// Sets them and writes them. When they cannot be written they are as before, and problem() says why.
    void setMarks(const std::string& host, std::vector<Mark> marks);
    void setKinds(std::vector<MarkKind> own);

signals:
    void rulesRead();
    void packagesReadIn();
    void marksChanged();
    void problem(const QString& sentence);

private:
    void readMarks(const std::string& host);

    std::shared_ptr<const UserRules> rules_;
    std::shared_ptr<const PackageDatabase> packages_;
    std::string system_;
    bool packagesRead_ = false;
    bool readingPackages_ = false;
    QString packagesProblem_;
    std::shared_ptr<MarkStore> store_;
    QThreadPool marksPool_; ///< reads and writes of marks, in their order
    std::map<std::string, std::shared_ptr<const MarkBook>> marks_;
};

} // namespace kurvo::app
