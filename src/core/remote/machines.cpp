// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/remote/machines.h"

#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <set>

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <toml++/toml.h>

#include "core/base/text.h"
#include "core/platform/atomic_file.h"
#include "core/platform/file_facts.h"

namespace kurvo {
namespace {

constexpr std::size_t largestList = std::size_t{4} << 20;

class ListReader {
public:
    explicit ListReader(const std::string& file) : file_(file) { }

    MachineList read(const toml::table& table)
    {
        for (const auto& [key, value] : table)
            if (key.str() != "machine")
                problem(value, fmt::format("\"{}\" is not known here; machines stand under [[machine]].",
                                           displayText(std::string(key.str()))));
        if (const auto* list = table["machine"].as_array())
            for (const auto& one : *list)
                if (const auto* entry = one.as_table())
                    add(*entry);
                else
                    problem(one, "Each machine stands under a [[machine]] of its own.");
        else if (table.contains("machine"))
            problem(*table.get("machine"), "Each machine stands under a [[machine]] of its own.");
        return std::move(list_);
    }

private:
    void problem(const toml::node& at, const std::string& sentence)
    {
        list_.problems.push_back(fmt::format("{}:{}: {}", displayText(file_), at.source().begin.line, sentence));
    }

    bool texts(const toml::node& value, std::vector<std::string>& into)
    {
        const auto* list = value.as_array();
        for (std::size_t i = 0; list && i < list->size(); ++i) {
            if (!list->get(i)->is_string())
                return false;
            into.push_back(**list->get(i)->as_string());
        }
        return list != nullptr;
    }

    void add(const toml::table& entry)
    {
        Machine machine;
        bool good = true;
        std::string address;
        const auto wrong = [&](const toml::node& at, const std::string& sentence) {
            problem(at, sentence);
            good = false;
        };
        for (const auto& [key, value] : entry) {
            const auto name = std::string(key.str());
            const auto flag = [&](bool& into) {
                if (value.is_boolean())
                    into = **value.as_boolean();
                else
                    wrong(value, "\"" + name + "\" takes true or false.");
            };
            const auto list = [&](std::vector<std::string>& into) {
                if (!texts(value, into))
                    wrong(value, "\"" + name + "\" takes a list of texts.");
            };
            if (name == "name" || name == "address") {
                if (!value.is_string() || (**value.as_string()).empty())
                    wrong(value, "\"" + name + "\" takes a text.");
                else
                    (name == "name" ? machine.name : address) = **value.as_string();
            } else if (name == "places") {
                list(machine.places);
            } else if (name == "tags") {
                list(machine.tags);
            } else if (name == "exclude") {
                list(machine.exclude);
            } else if (name == "cross-mounts") {
                flag(machine.crossMounts);
            } else if (name == "sudo") {
                flag(machine.sudo);
            } else if (name == "send-scanner") {
                flag(machine.sendScanner);
            } else {
                wrong(value,
                      "\"" + displayText(name) +
                          "\" is not known. Known are name, address, places, tags, exclude, cross-mounts, sudo and "
                          "send-scanner.");
            }
        }
        if (address.empty())
            address = machine.name;
        if (machine.name.empty())
            machine.name = address;
        const auto parsed = parseAddress(address.starts_with("ssh://") ? address : address + ":");
        if (machine.name.empty())
            wrong(entry, "A machine needs a name or an address.");
        else if (!parsed || !parsed->path.empty())
            wrong(entry, "\"" + displayText(address) + "\" is no address such as warden@desk or ssh://desk:2222.");
        else
            machine.address = *parsed;
        if (!names_.insert(machine.name).second && good)
            wrong(entry, "There is a machine named \"" + displayText(machine.name) + "\" already.");
        if (machine.places.empty())
            machine.places.emplace_back("/");
        if (good)
            list_.machines.push_back(std::move(machine));
    }

    const std::string& file_;
    MachineList list_;
    std::set<std::string> names_;
};

} // namespace

bool Machine::hasTag(const std::string& tag) const
{
    return std::find(tags.begin(), tags.end(), tag) != tags.end();
}

Result<MachineList> readMachines(const std::string& file)
{
    const auto text = readBeginning(file, largestList);
    if (!text)
        return text.error();
    try {
        return ListReader(file).read(toml::parse(*text));
    } catch (const toml::parse_error& error) {
        MachineList list;
        list.problems.push_back(
            fmt::format("{}:{}: {}.", displayText(file), error.source().begin.line, std::string(error.description())));
        return list;
    }
}

MachineBook readMachineBook(const std::string& file)
{
    MachineBook book;
    const auto text = readBeginning(file, largestList);
    const auto json = nlohmann::json::parse(text ? *text : std::string(), nullptr, false);
    if (!json.is_object() || !json.contains("places") || !json["places"].is_array())
        return book;
    for (const auto& one : json["places"]) {
        if (!one.is_object())
            continue;
        const auto string = [&](const char* name) {
            return one.contains(name) && one[name].is_string() ? percentDecoded(one[name].get<std::string>())
                                                               : std::string();
        };
        const auto number = [&](const char* name) {
            return one.contains(name) && one[name].is_number_integer() ? one[name].get<std::int64_t>() : 0;
        };
        MachinePlace place;
        place.snapshot = string("snapshot");
        place.taken = number("taken");
        place.failed = string("failed");
        place.tried = number("tried");
        place.grewMost = string("grew_most");
        place.grewBytes = number("grew_bytes");
        book[{string("machine"), string("place")}] = std::move(place);
    }
    return book;
}

Result<Done> writeMachineBook(const std::string& file, const MachineBook& book)
{
    auto places = nlohmann::json::array();
    for (const auto& [key, place] : book)
        places.push_back({{"machine", percentEncoded(key.first)},
                          {"place", percentEncoded(key.second)},
                          {"snapshot", percentEncoded(place.snapshot)},
                          {"taken", place.taken},
                          {"failed", percentEncoded(place.failed)},
                          {"tried", place.tried},
                          {"grew_most", percentEncoded(place.grewMost)},
                          {"grew_bytes", place.grewBytes}});
    const auto text = nlohmann::json{{"places", places}}.dump(1) + "\n";
    auto out = AtomicFile::create(file);
    if (!out)
        return out.error();
    out->write(text.data(), text.size());
    return out->commit();
}

} // namespace kurvo
