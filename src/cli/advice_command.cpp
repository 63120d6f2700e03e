// SPDX-License-Identifier: GPL-3.0-or-later
#include <fcntl.h>

#include <fmt/format.h>

#include "cli/command.h"
#include "core/advice/evidence.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/file_facts.h"
#include "core/platform/own_data.h"

namespace kurvo::cli {
namespace {

void printProblem(const RuleProblem& problem)
{
    fmt::print(stderr, "{}:{}: {}\n", displayText(problem.file), problem.line, problem.sentence);
}

void printJson(const std::string& path, const Advice& advice)
{
    fmt::print(
        "{{\"path\": {}, \"level\": \"{}\", \"what\": {}, \"do\": {}, \"command\": {}, \"rule\": {}, \"evidence\": [",
        jsonText(path), adviceLevelName(advice.level), jsonText(advice.what), jsonText(advice.action),
        advice.command.empty() ? "null" : jsonText(advice.command),
        advice.rule.empty() ? "null" : jsonText(advice.rule));
    for (std::size_t i = 0; i < advice.evidence.size(); ++i)
        fmt::print("{}{}", i == 0 ? "" : ", ", jsonText(advice.evidence[i].sentence));
    fmt::print("]}}\n");
}

void printText(const std::string& path, const Advice& advice)
{
    fmt::print("{}\n  {}: {} {}\n", displayText(path), adviceLevelName(advice.level), advice.what, advice.action);
    if (!advice.command.empty())
        fmt::print("  $ {}\n", displayText(advice.command));
    for (const auto& evidence : advice.evidence)
        fmt::print("  - {}\n", evidence.sentence);
}

} // namespace

int runAdvice(const std::vector<std::string>& paths, bool json)
{
    const auto rules = readUserRules(withCarried(userFolders()).config);
    for (const auto& problem : rules.problems)
        printProblem(problem);
    const auto packages = PackageDatabase::read();
    if (!packages && packages.error().kind != ErrorKind::NotFound)
        complain(packages.error().sentence);
    int status = ExitDone;
    for (const auto& typed : paths) {
        // Where a link leads to is another item: only the folders above are resolved.
        if (!answers(typed)) {
            status = ExitIncomplete;
            continue;
        }
        const auto folder = canonicalPath(std::string(typed.find('/') == std::string::npos ? "." : parentPath(typed)));
        const bool top = typed == "/" || fileName(typed) == "." || fileName(typed) == "..";
        const auto resolved = top ? canonicalPath(typed) : folder;
        if (!resolved) {
            complain(resolved.error().sentence);
            status = ExitIncomplete;
            continue;
        }
        const auto path = top ? *resolved : joinPath(*resolved, fileName(typed));
        EntryStat stat;
        if (const int error = statEntry(AT_FDCWD, path.c_str(), stat); error != 0) {
            complain(systemError("look at", path, error).sentence);
            status = ExitIncomplete;
            continue;
        }
        const auto advice = adviceFor(path, stat.kind == EntryKind::Folder, rules.book,
                                      gatherEvidence(path, packages ? &*packages : nullptr, currentTime()));
        json ? printJson(path, advice) : printText(path, advice);
    }
    return status;
}

int runAdviceCheck(const std::vector<std::string>& files)
{
    int status = ExitDone;
    for (const auto& file : files) {
        constexpr std::size_t most = 4 << 20;
        const auto text = readBeginning(file, most);
        if (!text) {
            complain(text.error().sentence);
            status = ExitFailed;
            continue;
        }
        RuleBook book;
        const auto problems = book.add(*text, file);
        for (const auto& problem : problems)
            printProblem(problem);
        fmt::print("{}: {}, {}\n", displayText(file), formatItems(book.rules().size(), "rule"),
                   problems.empty() ? "no mistake" : formatItems(problems.size(), "mistake"));
        if (!problems.empty() && status == ExitDone)
            status = ExitIncomplete;
    }
    return status;
}

} // namespace kurvo::cli
