// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rights/reading_protocol.h"

#include <cstdlib>

namespace kurvo {
namespace {

constexpr std::string_view requestMagic = "kurvo-request 4";
constexpr std::size_t mostPaths = 20000;

} // namespace

std::string encodeRequest(const HelperRequest& request)
{
    std::string bytes(requestMagic);
    bytes += '\0';
    if (request.withFacts)
        bytes.append("with-facts") += '\0';
    for (const auto& path : request.paths)
        (bytes += request.withFacts ? "place " : "path ").append(path) += '\0';
    for (const auto& glob : request.exclude)
        (bytes += "leave-out ").append(glob) += '\0';
    if (request.onlyTables)
        bytes.append("only-tables") += '\0';
    if (request.crossMounts)
        bytes.append("cross-mounts") += '\0';
    if (request.threads > 0)
        bytes.append("threads " + std::to_string(request.threads)) += '\0';
    return bytes.append("end") += '\0';
}

Result<HelperRequest> decodeRequest(std::string_view bytes)
{
    const Error wrong{ErrorKind::WrongFormat, {}, 0, "What came on standard input is not a request of Kurvo's."};
    HelperRequest request;
    for (bool first = true;; first = false) {
        const auto end = bytes.find('\0');
        if (end == std::string_view::npos)
            return wrong;
        const auto text = bytes.substr(0, end);
        bytes.remove_prefix(end + 1);
        if (first) {
            if (text != requestMagic)
                return wrong;
        } else if (text == "end") {
            return bytes.empty() && !request.paths.empty() && (!request.withFacts || request.paths.size() == 1)
                       ? Result<HelperRequest>(std::move(request))
                       : wrong;
        } else if (text.starts_with("path /") && request.paths.size() < mostPaths) {
            request.paths.emplace_back(text.substr(5));
        } else if (text.starts_with("leave-out ") && request.exclude.size() < mostPaths) {
            request.exclude.emplace_back(text.substr(10));
        } else if (text == "only-tables") {
            request.onlyTables = true;
        } else if (text == "with-facts") {
            request.withFacts = true;
        } else if (request.withFacts && text.starts_with("place ") && request.paths.empty()) {
            request.paths.emplace_back(text.substr(6));
        } else if (text == "cross-mounts") {
            request.crossMounts = true;
        } else if (text.starts_with("threads ") && text.size() <= 11) {
            request.threads = static_cast<unsigned>(std::atoi(std::string(text.substr(8)).c_str()));
        } else {
            return wrong;
        }
    }
}

} // namespace kurvo
