// SPDX-License-Identifier: GPL-3.0-or-later
// What can be typed behind "kurvoctl", and what it leads to.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include <CLI/CLI.hpp>

#include "cli/command.h"

namespace kurvo::cli {

/// The commands with their options. Parsing chooses what to run.
class Arguments {
public:
    explicit Arguments(CLI::App& app);

    /// What was asked for; returns an exit status.
    std::function<int()> chosen;
    /// It has an end of its own: a helper that is told when to end, or the terminal view, which has a parent that
    /// waits.
    bool endsByItself = false;
    /// What is usual on this machine is not asked for: by helpers, and where `--no-config` says so.
    bool readsConfig() const { return !noConfig_ && !endsByItself_; }
    /// Takes over what options say in place of what is configured. Call it once parsed.
    void settle();

private:
    CLI::App* command(const std::string& name, const std::string& what, CLI::App* above = nullptr);
    CLI::Option* path(CLI::App* command, const char* name, std::vector<std::string>& into, const char* what);
    CLI::Option* path(CLI::App* command, const char* name, std::string& into, const char* what);
    void json(CLI::App* command, const char* what = "print JSON, one object a line");
    void force(CLI::App* command);
    void in(CLI::App* command, std::string& folder);
    /// Options of everything that scans.
    void scans(CLI::App* command);
    void run(CLI::App* command, std::function<int()> what);
    void addCommon();
    void addScanning();
    void addListing();
    void addSnapshots();
    void addSets();
    void addMachines();
    void addHistory();
    void addDrives();
    void addPlans();
    void addUpkeep();
    void addLogbook();
    void addSelf();

    CLI::App& app_;
    // Of all commands.
    int patience_ = 0;
    bool bytes_ = false, decimal_ = false, quiet_ = false, noProgress_ = false, noConfig_ = false;
    bool endsByItself_ = false;
    std::string colour_ = "auto";
    unsigned threads_ = 0;
    bool crossMounts_ = false;
    std::vector<std::string> exclude_;
    bool sudo_ = false, sendScanner_ = false;
    int speaks_ = 0;
    bool json_ = false, force_ = false;
    // Of each.
    ScanArguments scan_;
    bool walk_ = false;
    BrowseArguments browse_;
    bool noMouse_ = false;
    FolderArguments folders_;
    LargestArguments largest_;
    GroupArguments groups_;
    std::vector<std::string> by_;
    std::size_t groupCount_ = 0;
    LeadArguments leads_;
    CompareArguments compare_;
    MachineArguments machines_;
    UpkeepArguments upkeep_;
    WatchArguments watch_;
    std::string ruleName_;
    SetArguments set_;
    std::string setTo_;
    SnapshotArguments kept_;
    std::string snapshotTo_;
    std::optional<std::string> aboutName_, aboutNote_;
    std::vector<std::string> exported_;
    std::string exportTo_;
    std::string source_, exportFormat_ = "jsonl", historyPath_, historyFolder_;
    bool allMounts_ = false;
    DuplicateArguments duplicates_;
    std::vector<std::string> advicePaths_;
    PlanArguments plan_;
    std::size_t deletions_ = 0;
    std::int64_t runNumber_ = 0;
    std::string reportFormat_ = "html", topic_, shell_, manualFolder_, digest_;
};

} // namespace kurvo::cli
