// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/output.h"

#include <unistd.h>

#include <algorithm>
#include <cstdlib>

#include <fmt/format.h>
#include <toml++/toml.h>

#include "core/base/text.h"
#include "core/platform/file_facts.h"
#include "core/platform/own_data.h"
#include "core/platform/user_file.h"

namespace kurvo::cli {

Output& output()
{
    static Output one;
    return one;
}

std::string sizeText(std::uint64_t bytes)
{
    return output().bytes ? std::to_string(bytes) : formatBytes(bytes, output().units);
}

std::string differenceText(std::int64_t bytes)
{
    return output().bytes ? fmt::format("{:+}", bytes) : formatDifference(bytes, output().units);
}

std::string inked(std::string_view text, Ink ink)
{
    if (!output().colour)
        return std::string(text);
    const char* begin = ink == Ink::Strong   ? "\033[1m"
                        : ink == Ink::Second ? "\033[2m"
                        : ink == Ink::Hidden ? "\033[33m"
                                             : "\033[32m";
    return begin + std::string(text) + "\033[0m";
}

std::string barText(std::uint64_t part, std::uint64_t whole)
{
    constexpr std::size_t wide = 10;
    const auto share = whole == 0 ? 0 : static_cast<double>(part) / static_cast<double>(whole);
    const auto filled = std::min(wide, static_cast<std::size_t>(share * wide + 0.5));
    return std::string(part > 0 ? std::max<std::size_t>(filled, 1) : 0, '=') +
           std::string(wide - (part > 0 ? std::max<std::size_t>(filled, 1) : 0), '.');
}

void remark(const std::string& sentence)
{
    if (!output().quiet)
        fmt::print(stderr, "kurvoctl: {}\n", sentence);
}

namespace {

Error mistake(const std::string& file, const toml::source_region& at, const std::string& sentence)
{
    return {ErrorKind::WrongFormat, file, 0, fmt::format("{}:{}: {}", displayText(file), at.begin.line, sentence)};
}

} // namespace

Result<Done> readConfig(const std::string& file, Output& into)
{
    if (::access(file.c_str(), F_OK) != 0)
        return Done{};
    constexpr std::size_t most = 1 << 20;
    const auto text = readBeginning(file, most);
    if (!text)
        return text.error();
    toml::table table;
    try {
        table = toml::parse(*text);
    } catch (const toml::parse_error& error) {
        return mistake(file, error.source(), std::string(error.description()) + ".");
    }
    for (const auto& [key, value] : table) {
        const auto name = std::string(key.str());
        const auto wrong = [&](const char* wanted) {
            return mistake(file, value.source(), "\"" + displayText(name) + "\" takes " + wanted + ".");
        };
        if (name == "exclude") {
            const auto* list = value.as_array();
            if (!list)
                return wrong("a list of globs");
            for (const auto& one : *list) {
                if (!one.is_string())
                    return wrong("a list of globs");
                into.scan.exclude.push_back(**one.as_string());
            }
        } else if (name == "snapshots") {
            if (!value.is_string() || !(**value.as_string()).starts_with('/'))
                return wrong("the whole path of a folder");
            into.snapshots = **value.as_string();
        } else if (name == "units") {
            const auto units = value.value<std::string>().value_or("");
            if (units != "binary" && units != "decimal" && units != "bytes")
                return wrong("\"binary\", \"decimal\" or \"bytes\"");
            into.units = units == "decimal" ? SizeUnits::Decimal : SizeUnits::Binary;
            into.bytes = units == "bytes";
        } else if (name == "cross-mounts") {
            if (!value.is_boolean())
                return wrong("true or false");
            into.scan.crossMounts = **value.as_boolean();
        } else if (name == "threads" || name == "patience") {
            const auto number = value.is_integer() ? **value.as_integer() : 0;
            const std::int64_t limit = name == "threads" ? 256 : 86400;
            if (number < 1 || number > limit)
                return wrong(name == "threads" ? "a number from 1 to 256" : "seconds, from 1 to 86400");
            if (name == "threads")
                into.scan.threads = static_cast<unsigned>(number);
            else
                into.scan.patience = std::chrono::seconds(number);
        } else if (name == "progress") {
            if (!value.is_boolean())
                return wrong("true or false");
            into.progress = **value.as_boolean();
        } else {
            return mistake(file, value.source(),
                           "\"" + displayText(name) +
                               "\" is not known. Known are exclude, snapshots, units, cross-mounts, threads, patience "
                               "and progress.");
        }
    }
    return Done{};
}

std::string snapshotsFolder(const std::string& given)
{
    return !given.empty()                ? given
           : !output().snapshots.empty() ? output().snapshots
                                         : joinPath(ownDataFolder(userFolders()), "snapshots");
}

} // namespace kurvo::cli
