// SPDX-License-Identifier: GPL-3.0-or-later
// The place: how it opens, grows and is read again, and what is worked out about it.
#include "terminal/desk.h"

#include <sys/stat.h>

#include <algorithm>

#include <fmt/format.h>

#include "core/base/patience.h"
#include "core/leads/aside.h"
#include "core/leads/gather_facts.h"
#include "core/ledger/ledger.h"

namespace kurvo::terminal {

std::string Place::foreignReason() const
{
    if (info.sample)
        return "This is sample data: the files do not exist.";
    if (!isHere)
        return "This snapshot was taken on " + displayText(info.host) + "; its files are not on this machine.";
    return {};
}

Desk::Desk(DeskWish wish, Work& work) : wish_(std::move(wish)), work_(work)
{
    markStore_ = std::make_shared<MarkStore>(joinPath(wish_.data, "marks.db"));
    work_.run(
        [config = wish_.user.config](const std::stop_token&) {
            auto lore = std::make_shared<Lore>();
            lore->rules = readUserRules(config);
            if (auto packages = PackageDatabase::read())
                lore->packages.emplace(std::move(*packages));
            return std::shared_ptr<const Lore>(lore);
        },
        [this](std::shared_ptr<const Lore> lore) {
            lore_ = std::move(lore);
            if (!lore_->rules.problems.empty())
                tell(fmt::format("{} in the rules of the advice; \"kurvoctl advice check\" tells them.",
                                 formatItems(lore_->rules.problems.size(), "mistake")));
            if (hasPlace() && !place_.growing)
                readLeads();
        });
    readRuns();
}

GuardFacts Desk::guard() const
{
    return {wish_.user, wish_.data, lore_ && lore_->packages ? &*lore_->packages : nullptr};
}

void Desk::tell(const std::string& sentence) const
{
    if (say && !sentence.empty())
        say(sentence);
}

std::string Desk::amount(std::uint64_t figure) const
{
    return place_.measure == Measure::Files ? formatCount(figure) : size(figure);
}

std::string Desk::measured(NodeId node) const
{
    return amount(tree().measured(node, place_.measure));
}

void Desk::open(const std::string& source)
{
    if (acting_)
        return tell("A plan is being carried out. Wait for its end, or stop it.");
    if (scanning_)
        scanStop_.request_stop();
    comparison_.reset();
    pendingComparison_.clear();
    struct Opened {
        bool folder = false;
        std::string path;
        std::optional<Result<Snapshot>> snapshot;
        std::optional<Error> error;
    };
    work_.run(
        [source, patience = wish_.scan.patience](const std::stop_token&) {
            Opened found;
            const auto isFolder = askWithin(patience, [source] {
                struct stat s { };
                return ::stat(source.c_str(), &s) == 0 && S_ISDIR(s.st_mode);
            });
            if (!isFolder) {
                found.error = Error{ErrorKind::System, source, ETIMEDOUT,
                                    displayText(source) + " does not answer: its drive or server may be gone."};
            } else if (*isFolder || !source.ends_with(snapshotSuffix)) {
                found.folder = true;
                if (const auto real = canonicalPath(source))
                    found.path = *real;
                else
                    found.error = real.error();
            } else {
                found.path = canonicalPath(source) ? *canonicalPath(source) : source;
                found.snapshot.emplace(readSnapshot(source));
                if (!*found.snapshot)
                    found.error = found.snapshot->error();
            }
            return found;
        },
        [this](Opened found) {
            if (found.error)
                return tell(found.error->sentence);
            if (found.folder)
                return startScan(found.path);
            ++scanSerial_;
            scanning_ = false;
            leavePlace();
            place_.source = found.path;
            place_.fromSnapshot = true;
            place_.info = (*found.snapshot)->info;
            place_.tree = (*found.snapshot)->tree;
            place_.unreadable = place_.info.notRead;
            arrived();
            if (opened)
                opened();
        });
}

void Desk::leavePlace()
{
    place_ = Place{};
    ++generation_;
    freed_ = 0;
    kept_.clear();
    if (renumbered)
        renumbered([](NodeId) { return noNode; });
}

void Desk::startScan(const std::string& path)
{
    scanning_ = grows_ = true;
    leavePlace();
    place_.source = path;
    growth_.reset();
    progress_ = std::make_shared<ScanProgress>();
    ++generation_;
    auto options = wish_.scan;
    options.background = true;
    work_.run([path](const std::stop_token&) { return describePlace(path); },
              [this, path](SnapshotInfo info) {
                  if (place_.source == path && scanning_)
                      place_.info = std::move(info);
              });
    scanStop_ = work_.run([path, options, progress = progress_](
                              const std::stop_token& stop) { return scan(path, options, stop, progress.get()); },
                          [this, path, serial = ++scanSerial_](Result<ScanResult> result) {
                              if (serial == scanSerial_)
                                  scanned(std::move(result), path);
                          });
    if (opened)
        opened();
}

/// Several looks follow each other; each is of one moment.
void Desk::look()
{
    if (!scanning_ || !grows_ || looking_ || !progress_)
        return;
    const auto store = progress_->store();
    if (!store)
        return;
    const bool began = !growth_ || (place_.tree && place_.tree->sharedStore() != store);
    if (began)
        growth_ = std::make_shared<GrowingTree>(store);
    work_.run([held = looking_.begin(), growth = growth_](const std::stop_token&) { return growth->look(); },
              [this, growth = growth_, began](std::shared_ptr<const FileTree> tree) {
                  looking_.end();
                  if (!scanning_ || !grows_ || growth != growth_)
                      return;
                  const bool another = began && hasPlace();
                  place_.growing = true;
                  if (another)
                      setTree(std::move(tree), [](NodeId) { return noNode; });
                  else
                      place_.tree = std::move(tree);
                  if (changed)
                      changed();
              });
}

void Desk::scanFailed(const Error& error)
{
    scanning_ = false;
    progress_.reset();
    growth_.reset();
    leavePlace();
    tell(error.sentence);
    if (changed)
        changed();
}

void Desk::takeWhole(std::shared_ptr<const FileTree> tree)
{
    scanning_ = false;
    progress_.reset();
    growth_.reset();
    const auto before = place_.tree;
    place_.growing = false;
    if (before && before->sharedStore() == tree->sharedStore()) {
        place_.tree = std::move(tree); // ids stay what they are
        return;
    }
    setTree(tree, [before, after = tree](NodeId node) {
        return before ? after->find(before->path(node)).value_or(noNode) : node == rootNode ? rootNode : noNode;
    });
}

void Desk::scanned(Result<ScanResult> result, const std::string& path)
{
    if (!result)
        return scanFailed(result.error());
    place_.info = describeScan(*result);
    place_.info.crossMounts = wish_.scan.crossMounts;
    place_.info.exclude = wish_.scan.exclude;
    place_.source = path;
    place_.unreadable = result->unreadableList;
    takeWhole(result->tree);
    if (result->driveGone)
        tell("The drive does not answer any more; the figures are partial.");
    else if (result->outOfMemory)
        tell("There is no memory to hold more entries; the figures are partial.");
    else if (result->stopped)
        tell("Stopped before the end; the figures are partial.");
    else
        tell(fmt::format("{} on disk in {} and {}, read in {:.1f} s.", size(tree().disk(rootNode)),
                         formatItems(tree().sums(rootNode).files, "file"),
                         formatItems(tree().sums(rootNode).folders, "folder"), result->seconds));
    arrived();
}

/// The tree of a place is whole: what hangs on it is looked for.
void Desk::arrived()
{
    ++generation_;
    place_.wholeDrive = place_.info.place == place_.info.mountPoint;
    place_.isHere = !place_.info.sample && place_.info.host == hostName();
    planKnown_ = false;
    freed_ = 0;
    readMarks();
    readKeptPlan();
    readLeads();
    if (!pendingComparison_.empty())
        compareWith(std::exchange(pendingComparison_, {}));
    if (place_.fromSnapshot || place_.info.partial) {
        readEarlier();
    } else {
        work_.run(
            [info = place_.info, tree = place_.tree, unreadable = place_.unreadable, whole = place_.wholeDrive,
             folder = wish_.snapshots](const std::stop_token&) mutable -> Result<std::string> {
                info.notRead = unreadable;
                if (whole)
                    info.ledger =
                        ledgerFigures({tree.get(), unreadable, info.unreadable, info.partial, true, info.exclude, 0},
                                      info.mountPoint, info.capacity);
                return addSnapshot(folder, info, *tree);
            },
            [this](const Result<std::string>& kept) {
                if (!kept)
                    tell("The scan is shown, but its snapshot was not saved: " + kept.error().sentence);
                readEarlier();
            },
            Work::AtEnd::Finish);
    }
    if (changed)
        changed();
}

void Desk::pauseScan()
{
    if (progress_)
        progress_->setPaused(!progress_->isPaused());
}

void Desk::stopScan()
{
    if (!scanning_)
        return;
    scanStop_.request_stop();
    if (progress_)
        progress_->setPaused(false);
}

std::string Desk::scanLine() const
{
    if (!progress_)
        return {};
    std::string part;
    const auto& c = place_.info.capacity;
    if (place_.info.place == place_.info.mountPoint && c.used > 0)
        part =
            fmt::format(" of {} used, {}", size(c.used), formatShare(std::min(progress_->diskBytes(), c.used), c.used));
    return fmt::format("{}: {}, {}{}  {}", progress_->isPaused() ? "Paused" : "Scanning",
                       formatItems(progress_->entries(), "entry", "entries"), size(progress_->diskBytes()), part,
                       progress_->currentFolder());
}

void Desk::rescan(NodeId folder)
{
    if (!hasPlace() || scanning_ || acting_)
        return tell(acting_ ? "A plan is being carried out. Wait for its end, or stop it." : "A scan runs already.");
    if (place_.fromSnapshot)
        return tell("A snapshot cannot be scanned again. Open its folder to scan that.");
    if (folder != rootNode)
        return regraft({folder}, false);
    auto options = wish_.scan;
    options.background = true;
    scanning_ = true;
    grows_ = false;
    progress_ = std::make_shared<ScanProgress>();
    scanStop_ = work_.run([path = place_.source, options, progress = progress_](
                              const std::stop_token& stop) { return scan(path, options, stop, progress.get()); },
                          [this, path = place_.source, serial = ++scanSerial_](Result<ScanResult> result) {
                              if (serial != scanSerial_)
                                  return;
                              if (!result) { // what was seen stays
                                  scanning_ = false;
                                  progress_.reset();
                                  return tell(result.error().sentence);
                              }
                              scanned(std::move(result), path);
                          });
}

/// Reads folders again and puts what is in them now in the place of what was.
void Desk::regraft(std::vector<NodeId> folders, bool quiet)
{
    struct Fresh {
        std::shared_ptr<const Grafted> grafted;
        std::uint64_t unreadable = 0;
        std::string problem;
    };
    scanning_ = !quiet;
    grows_ = false;
    progress_ = quiet ? nullptr : std::make_shared<ScanProgress>();
    auto options = wish_.scan;
    options.background = true;
    scanStop_ = work_.run(
        [tree = place_.tree, folders = std::move(folders), options, progress = progress_](const std::stop_token& stop) {
            Fresh fresh;
            std::vector<Graft> grafts;
            for (const auto folder : folders) {
                auto result = scan(tree->path(folder), options, stop, progress.get());
                if (!result)
                    fresh.problem = result.error().sentence;
                else if (!result->stopped)
                    grafts.push_back({folder, result->tree});
            }
            if (!grafts.empty())
                fresh.grafted = std::make_shared<const Grafted>(graft(*tree, grafts));
            return fresh;
        },
        [this, quiet, generation = generation_, before = place_.tree](const Fresh& fresh) {
            if (!quiet) {
                scanning_ = false;
                progress_.reset();
            }
            if (!quiet || fresh.grafted)
                tell(fresh.problem);
            if (generation != generation_ || !fresh.grafted)
                return;
            setTree(fresh.grafted->tree,
                    [grafted = fresh.grafted, before](NodeId node) { return grafted->idOf(*before, node); });
            ++generation_;
            if (!quiet)
                tell("Read again.");
            readLeads();
            readEarlier();
            if (changed)
                changed();
        });
}

/// All that holds ids goes along. What is gone is looked for above.
void Desk::setTree(std::shared_ptr<const FileTree> tree, const std::function<NodeId(NodeId)>& newId)
{
    const auto before = place_.tree;
    const auto folderOrAbove = [&](NodeId node) {
        while (before && node != rootNode && node != noNode) {
            if (const auto now = newId(node); now != noNode && tree->isFolder(now))
                return now;
            node = before->parent(node);
        }
        return rootNode;
    };
    place_.focus = folderOrAbove(place_.focus);
    for (auto* folders : {&place_.opened, &place_.whole}) {
        std::set<NodeId> moved;
        for (const auto node : *folders)
            if (const auto now = newId(node); now != noNode)
                moved.insert(now);
        folders->swap(moved);
    }
    for (auto* trail : {&place_.back, &place_.forward})
        for (auto& node : *trail)
            node = folderOrAbove(node);
    place_.tree = std::move(tree);
    place_.undo.clear(); // they have ids of the tree before
    place_.redo.clear();
    if (!place_.plan.empty()) {
        const auto off = place_.plan.rebind(*place_.tree, Plan::IfChanged::Keep);
        for (const auto& item : off)
            place_.findings.erase(item->path);
        if (!off.empty())
            tell(fmt::format("{} gone and came off the plan.",
                             formatItems(off.size(), "planned item is", "planned items are")));
        planChanged(nullptr);
    }
    place_.marks = std::make_shared<const TreeMarks>(place_.tree, book_);
    place_.advice.reset();
    place_.leads.reset();
    place_.earlier.reset();
    if (renumbered)
        renumbered(newId);
}

void Desk::setFocus(NodeId folder)
{
    if (folder == place_.focus || folder == noNode || !tree().isFolder(folder))
        return;
    place_.back.push_back(place_.focus);
    place_.forward.clear();
    place_.focus = folder;
    changed();
}

void Desk::goBack()
{
    if (place_.back.empty())
        return;
    place_.forward.push_back(place_.focus);
    place_.focus = place_.back.back();
    place_.back.pop_back();
    changed();
}

void Desk::goForward()
{
    if (place_.forward.empty())
        return;
    place_.back.push_back(place_.focus);
    place_.focus = place_.forward.back();
    place_.forward.pop_back();
    changed();
}

void Desk::setMeasure(Measure measure)
{
    place_.measure = measure;
    changed();
}

void Desk::setSort(DescentSort sort)
{
    place_.sort = sort;
    changed();
}

void Desk::expand(NodeId folder, bool wanted)
{
    if (wanted)
        place_.opened.insert(folder);
    else
        place_.opened.erase(folder);
    changed();
}

void Desk::showRest(NodeId folder)
{
    place_.whole.insert(folder);
    changed();
}

void Desk::follow(BegunScan scan)
{
    scanning_ = grows_ = true;
    leavePlace();
    place_.source = std::move(scan.source);
    place_.fromSnapshot = true;
    place_.info = std::move(scan.about);
    growth_.reset();
    progress_ = std::move(scan.progress);
    ++generation_;
    scanStop_ = work_.run([end = std::move(scan.end)](const std::stop_token& stop) { return end(stop); },
                          [this, serial = ++scanSerial_](Result<Snapshot> snapshot) {
                              if (serial == scanSerial_)
                                  followed(std::move(snapshot));
                          });
    if (opened)
        opened();
}

void Desk::followed(Result<Snapshot> snapshot)
{
    if (!snapshot)
        return scanFailed(snapshot.error());
    place_.info = std::move(snapshot->info);
    place_.unreadable = place_.info.notRead;
    takeWhole(std::move(snapshot->tree));
    if (place_.info.partial)
        tell("Stopped before the end; the figures are partial.");
    work_.run([info = place_.info, tree = place_.tree,
               folder = wish_.snapshots](const std::stop_token&) { return addSnapshot(folder, info, *tree); },
              [this](const Result<std::string>& kept) {
                  if (!kept)
                      tell("The scan is shown, but its snapshot was not saved: " + kept.error().sentence);
              },
              Work::AtEnd::Finish);
    arrived();
}

void Desk::openComparison(const std::string& before, const std::string& now)
{
    open(now);
    pendingComparison_ = before; // once the later of the two is there
}

} // namespace kurvo::terminal
