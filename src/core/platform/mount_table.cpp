// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/mount_table.h"

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <cstdio>
#include <memory>
#include <string_view>

namespace kurvo {
namespace {

/// "\040" is a space: the kernel writes blanks and backslashes in octal.
std::string plain(std::string_view text)
{
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        unsigned value = 0;
        const auto* end = text.data() + i + 4;
        if (text[i] == '\\' && i + 3 < text.size() && std::from_chars(text.data() + i + 1, end, value, 8).ptr == end &&
            value < 256) {
            out += static_cast<char>(value);
            i += 3;
        } else {
            out += text[i];
        }
    }
    return out;
}

bool isAmong(std::string_view options, std::string_view wanted)
{
    while (!options.empty()) {
        const auto comma = options.find(',');
        if (options.substr(0, comma) == wanted)
            return true;
        options = comma == options.npos ? std::string_view() : options.substr(comma + 1);
    }
    return false;
}

std::optional<MountLine> parsed(std::string_view line)
{
    std::vector<std::string_view> words;
    for (std::size_t at = 0; at < line.size();) {
        const auto end = std::min(line.find(' ', at), line.size());
        if (end > at)
            words.push_back(line.substr(at, end - at));
        at = end + 1;
    }
    // id parent device root target options [tags...] - type source options
    std::size_t dash = 6;
    while (dash < words.size() && words[dash] != "-")
        ++dash;
    if (dash + 2 >= words.size())
        return {};
    MountLine mount;
    if (std::from_chars(words[0].data(), words[0].data() + words[0].size(), mount.id).ec != std::errc())
        return {};
    mount.root = plain(words[3]);
    mount.target = plain(words[4]);
    mount.readOnly = isAmong(words[5], "ro");
    mount.options = words[5];
    if (dash + 3 < words.size())
        mount.options.append(",").append(words[dash + 3]);
    std::uint32_t major = 0, minor = 0;
    const auto colon = words[2].find(':');
    if (colon != std::string_view::npos) {
        std::from_chars(words[2].data(), words[2].data() + colon, major);
        std::from_chars(words[2].data() + colon + 1, words[2].data() + words[2].size(), minor);
    }
    mount.device = std::uint64_t{major} << 32 | minor;
    mount.type = plain(words[dash + 1]);
    mount.source = plain(words[dash + 2]);
    return mount;
}

} // namespace

bool MountLine::hasOption(std::string_view wanted) const
{
    return isAmong(options, wanted);
}

std::optional<std::vector<MountLine>> readMountTable(const std::string& mountInfo)
{
    const std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(mountInfo.c_str(), "rbe"), &std::fclose);
    if (!file)
        return {};
    std::string text;
    char buffer[1 << 16];
    for (std::size_t got; (got = std::fread(buffer, 1, sizeof buffer, file.get())) > 0;)
        text.append(buffer, got);
    if (std::ferror(file.get()) != 0)
        return {};
    std::vector<MountLine> mounts;
    for (std::size_t at = 0; at < text.size();) {
        const auto end = std::min(text.find('\n', at), text.size());
        if (auto mount = parsed(std::string_view(text).substr(at, end - at)))
            mounts.push_back(std::move(*mount));
        at = end + 1;
    }
    return mounts;
}

} // namespace kurvo
