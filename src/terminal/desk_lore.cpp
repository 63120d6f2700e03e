// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of a place beside its tree: the snapshot before, leads, marks, a comparison.
#include <sys/stat.h>

#include "core/leads/aside.h"
#include "core/leads/gather_facts.h"
#include "terminal/desk.h"

namespace kurvo::terminal {

void Desk::readEarlier()
{
    struct Before {
        std::vector<CatalogueEntry> kept;
        std::shared_ptr<const Matching> matching;
        std::int64_t taken = 0;
    };
    work_.run(
        [info = place_.info, tree = place_.tree, folder = wish_.snapshots,
         open = place_.fromSnapshot ? place_.source : std::string()](const std::stop_token&) {
            Before before;
            before.kept = snapshotsOf(folder, open, info);
            std::erase_if(before.kept, [&](const CatalogueEntry& entry) { return entry.info.taken >= info.taken; });
            if (const auto* entry = wholeBefore(before.kept, info))
                if (auto snapshot = readSnapshot(entry->path)) {
                    before.matching = std::make_shared<const Matching>(tree, snapshot->tree);
                    before.taken = entry->info.taken;
                }
            return before;
        },
        [this, generation = generation_](Before before) {
            if (generation != generation_)
                return;
            kept_ = std::move(before.kept);
            place_.earlier = std::move(before.matching);
            place_.earlierTaken = before.taken;
            if (changed)
                changed();
        });
}

void Desk::readLeads()
{
    if (!lore_ || place_.growing)
        return;
    LeadFacts facts{place_.tree, place_.info, std::shared_ptr<const RuleBook>(lore_, &lore_->rules.book)};
    facts.guard = guard();
    facts.units = wish_.units;
    facts.live = place_.isHere && !place_.fromSnapshot && !mayHang(place_.info.filesystem);
    facts.info.notRead = place_.unreadable;
    const LeadSearch search{place_.isHere, facts.live && place_.wholeDrive && !place_.info.partial, false,
                            wish_.snapshots, place_.fromSnapshot ? place_.source : std::string()};
    struct Found {
        std::shared_ptr<const Leads> leads;
        std::shared_ptr<const TreeAdvice> advice;
        std::string problem;
    };
    leadsStop_.request_stop(); // of another tree, or soon the same again
    leadsStop_ = work_.run(
        [facts, search, lore = lore_, aside = asideLeadsFile(wish_.data)](const std::stop_token& stop) mutable {
            Found found;
            found.advice = std::make_shared<const TreeAdvice>(adviseTree(*facts.book, *facts.tree));
            facts.advice = found.advice;
            gatherLeadFacts(facts, search);
            if (const auto known = AsideLeads(aside, facts.info.host).read())
                facts.aside = idsOf(*known);
            else
                found.problem = known.error().sentence;
            found.leads = std::make_shared<const Leads>(findLeads(facts, stop));
            return found;
        },
        [this, generation = generation_](Found found) {
            tell(found.problem);
            if (generation != generation_)
                return;
            place_.advice = std::move(found.advice);
            place_.leads = std::move(found.leads);
            if (changed)
                changed();
        });
}

void Desk::readMarks()
{
    struct Read {
        std::shared_ptr<const MarkBook> book;
        std::string problem;
    };
    work_.run(
        [store = markStore_, host = place_.info.host](const std::stop_token&) {
            auto book = store->read(host);
            return book ? Read{std::make_shared<const MarkBook>(std::move(*book)), {}}
                        : Read{std::make_shared<const MarkBook>(), book.error().sentence};
        },
        [this](Read read) {
            tell(read.problem);
            book_ = std::move(read.book);
            if (hasPlace())
                place_.marks = std::make_shared<const TreeMarks>(place_.tree, book_);
            if (changed)
                changed();
        });
}

void Desk::setMarks(std::vector<Mark> marks)
{
    work_.run(
        [store = markStore_, host = place_.info.host, marks = std::move(marks),
         data = wish_.data](const std::stop_token&) -> Result<Done> {
            if (const auto made = makeFolders(data); !made)
                return made;
            return store->write(host, marks);
        },
        [this](const Result<Done>& written) {
            if (!written)
                tell(written.error().sentence);
            readMarks();
        },
        Work::AtEnd::Finish);
}

void Desk::mark(const std::vector<NodeId>& nodes, const std::string& kind)
{
    std::vector<Mark> marks;
    for (const auto node : nodes) {
        const auto path = tree().path(node);
        const auto known = book_->marks.find(path);
        marks.push_back({path, kind, known == book_->marks.end() ? std::string() : known->second.note, currentTime()});
    }
    setMarks(std::move(marks));
}

void Desk::note(const std::vector<std::string>& paths, const std::string& text)
{
    std::vector<Mark> marks;
    for (const auto& path : paths) {
        const auto known = book_->marks.find(path);
        marks.push_back({path, known == book_->marks.end() ? "ask" : known->second.kind, text, currentTime()});
    }
    setMarks(std::move(marks));
}

void Desk::putAside(const std::string& id, const std::string& sentence, const std::string& note)
{
    work_.run(
        [file = asideLeadsFile(wish_.data), host = place_.info.host,
         lead = AsideLead{id, sentence, note, currentTime()}](const std::stop_token&) -> Result<Done> {
            if (auto made = makeFolders(std::string(parentPath(file))); !made)
                return made;
            return AsideLeads(file, host).putAside(lead);
        },
        [this, id](const Result<Done>& done) {
            tell(done ? "Put aside. \"kurvoctl leads --bring-back " + id + "\" brings it back."
                      : done.error().sentence);
            readLeads();
        },
        Work::AtEnd::Finish);
}

void Desk::endComparison()
{
    comparison_.reset();
    changed();
}

void Desk::compareWith(const std::string& snapshot)
{
    struct Compared {
        std::shared_ptr<const Comparison> comparison;
        std::string words;
        std::string problem;
    };
    work_.run(
        [snapshot, tree = place_.tree, info = place_.info, options = wish_.scan](const std::stop_token& stop) {
            Compared compared;
            std::shared_ptr<const FileTree> before;
            SnapshotInfo about;
            struct stat s { };
            if (::stat(snapshot.c_str(), &s) == 0 && S_ISDIR(s.st_mode)) {
                auto scanned = scan(snapshot, options, stop);
                if (!scanned) {
                    compared.problem = scanned.error().sentence;
                    return compared;
                }
                about = describeScan(*scanned);
                before = scanned->tree;
            } else {
                auto read = readSnapshot(snapshot);
                if (!read) {
                    compared.problem = read.error().sentence;
                    return compared;
                }
                about = std::move(read->info);
                before = read->tree;
            }
            compared.comparison = Comparison::make(tree, before, compareOptions(info, about), stop);
            compared.words = displayText(about.host) + ", " + formatTime(about.taken);
            return compared;
        },
        [this, generation = generation_](Compared compared) {
            tell(compared.problem);
            if (generation != generation_ || !compared.comparison)
                return;
            comparison_ = std::move(compared.comparison);
            comparedWith_ = std::move(compared.words);
            if (changed)
                changed();
        });
}

} // namespace kurvo::terminal
