// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/leads/aside.h"

#include <algorithm>
#include <cerrno>
#include <fstream>

#include <nlohmann/json.hpp>
#include <sys/stat.h>

#include "core/base/text.h"
#include "core/platform/atomic_file.h"
#include "core/platform/folders.h"

namespace kurvo {
namespace {

struct Row {
    std::string host;
    AsideLead lead;
};

Result<std::vector<Row>> readRows(const std::string& path)
{
    std::vector<Row> rows;
    std::ifstream file(path);
    if (!file) {
        const int error = errno;
        struct stat s { };
        if (::stat(path.c_str(), &s) == 0 || (error != ENOENT && error != ENOTDIR))
            return systemError("read", path, error);
        return rows;
    }
    const auto json = nlohmann::json::parse(file, nullptr, false);
    const auto list = json.is_object() ? json.find("aside") : json.end();
    if (!json.is_object() || list == json.end() || !list->is_array())
        return Error{ErrorKind::Damaged, path, 0,
                     "The list of leads that were put aside (" + displayText(path) +
                         ") cannot be understood. It is left as it is; move it away to begin anew."};
    for (const auto& one : *list) {
        const auto text = [&one](const char* key) {
            return one.is_object() && one.contains(key) && one[key].is_string() ? one[key].get<std::string>()
                                                                                : std::string();
        };
        Row row{text("host"), {percentDecoded(text("id")), text("said"), text("note"), 0}};
        if (one.is_object() && one.contains("when") && one["when"].is_number_integer())
            row.lead.when = one["when"].get<std::int64_t>();
        if (!row.lead.id.empty())
            rows.push_back(std::move(row));
    }
    return rows;
}

Result<Done> writeRows(const std::string& path, const std::vector<Row>& rows)
{
    if (auto made = makeFolders(std::string(parentPath(path))); !made)
        return made;
    auto file = AtomicFile::create(path);
    if (!file)
        return file.error();
    std::string text = "{\"aside\": [";
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const auto& [host, lead] = rows[i];
        text += (i == 0 ? "\n" : ",\n") + std::string("{\"host\": ") + jsonText(displayText(host)) +
                ", \"id\": " + jsonText(percentEncoded(lead.id)) +
                ", \"said\": " + jsonText(displayText(lead.sentence)) +
                ", \"note\": " + jsonText(displayText(lead.note)) + ", \"when\": " + std::to_string(lead.when) + "}";
    }
    text += "\n]}\n";
    file->write(text.data(), text.size());
    return file->commit();
}

} // namespace

Result<std::vector<AsideLead>> AsideLeads::read() const
{
    const auto rows = readRows(file_);
    if (!rows)
        return rows.error();
    std::vector<AsideLead> leads;
    for (const auto& row : *rows)
        if (row.host == host_)
            leads.push_back(row.lead);
    std::stable_sort(leads.begin(), leads.end(), [](const auto& a, const auto& b) { return a.when > b.when; });
    return leads;
}

Result<Done> AsideLeads::putAside(const AsideLead& lead) const
{
    auto rows = readRows(file_);
    if (!rows)
        return rows.error();
    std::erase_if(*rows, [&](const Row& row) { return row.host == host_ && row.lead.id == lead.id; });
    rows->push_back({host_, lead});
    return writeRows(file_, *rows);
}

Result<Done> AsideLeads::bringBack(const std::string& id) const
{
    auto rows = readRows(file_);
    if (!rows)
        return rows.error();
    std::erase_if(*rows, [&](const Row& row) { return row.host == host_ && row.lead.id == id; });
    return writeRows(file_, *rows);
}

std::string asideLeadsFile(const std::string& ownDataFolder)
{
    return joinPath(ownDataFolder, "leads-aside.json");
}

std::vector<std::string> idsOf(const std::vector<AsideLead>& leads)
{
    std::vector<std::string> ids;
    for (const auto& lead : leads)
        ids.push_back(lead.id);
    return ids;
}

} // namespace kurvo
